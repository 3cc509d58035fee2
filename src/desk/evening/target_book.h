// The target, and the others that were noted for tonight.
#pragma once

#include "desk/evening/rig_book.h"
#include "edge/devices/clock.h"

namespace nordstjerna {

class TargetBook : public QObject {
    Q_OBJECT
public:
    // That of the last evening; these where there was none.
    TargetBook(const std::string& name, const Vec3& icrs, EveningStore& evening, const RigBook& rigs,
               const Clock& clock);

    const std::string& name() const { return name_; }
    Vec3 icrs() const { return icrs_; }
    HourAngleDec place() const; // now
    void set(const std::string& name, const Vec3& icrs);

    // Kept as the person noted them.
    const std::vector<NotedTarget>& list() const { return evening_.evening().targets; }
    void keepList(std::vector<NotedTarget> targets);
    // Those that follow the target when its series has ended.
    const std::vector<FollowingTarget>& following() const { return evening_.evening().following; }
    void keepFollowing(std::vector<FollowingTarget> targets);

Q_SIGNALS:
    void changed(); // another target
    void followingChanged();

private:
    EveningStore& evening_;
    const RigBook& rigs_;
    const Clock& clock_;
    std::string name_;
    Vec3 icrs_;
};

} // namespace nordstjerna
