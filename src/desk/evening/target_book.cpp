#include "desk/evening/target_book.h"

#include "core/sky/observed_frame.h"

namespace nordstjerna {

TargetBook::TargetBook(const std::string& name, const Vec3& icrs, EveningStore& evening, const RigBook& rigs,
                       const Clock& clock)
    : evening_(evening), rigs_(rigs), clock_(clock), name_(name), icrs_(icrs) {
    if (const auto& last = evening.evening(); last.target) {
        name_ = last.targetName;
        icrs_ = vectorFrom(*last.target);
    }
    evening_.fill([this](Evening& e) {
        e.targetName = name_;
        e.target = equatorialFrom(icrs_);
    });
}

HourAngleDec TargetBook::place() const {
    return ObservedFrame(rigs_.rig().site, clock_.now()).hourAngleDec(icrs_);
}

void TargetBook::set(const std::string& name, const Vec3& icrs) {
    name_ = name;
    icrs_ = icrs;
    evening_.edit([this](Evening& e) {
        e.targetName = name_;
        e.target = equatorialFrom(icrs_);
    });
    Q_EMIT changed();
}

void TargetBook::keepList(std::vector<NotedTarget> targets) {
    evening_.edit([&](Evening& e) { e.targets = std::move(targets); });
}

void TargetBook::keepFollowing(std::vector<FollowingTarget> targets) {
    if (targets == following())
        return;
    evening_.edit([&](Evening& e) { e.following = std::move(targets); });
    Q_EMIT followingChanged();
}

} // namespace nordstjerna
