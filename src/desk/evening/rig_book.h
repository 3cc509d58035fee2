// The rig in use, the others of this person, and the mounts, optics and sites that they are put together
// from.
#pragma once

#include <vector>

#include "charts/zone.h"
#include "desk/evening/evening_store.h"
#include "edge/store/rig_library.h"

namespace nordstjerna {

class RigBook : public QObject {
    Q_OBJECT
public:
    // That of the last evening; `first` where there was none.
    RigBook(const Rig& first, EveningStore& evening);

    const Rig& rig() const { return rig_; }
    // The rig must be valid.
    void set(const Rig& rig);
    // What clocks at the site show; the computer's zone where the rig names none that is known.
    const CivilTime& civilTime() const { return zone_; }

    // The one in use is always among them.
    std::vector<Listed> list() const;
    Expected<void> choose(const std::string& id);
    // Not the one in use.
    Expected<void> remove(const std::string& id);

    // The one in use is always among them, too.
    std::vector<Listed> list(RigPart part) const;
    // In the place of the one in use. With another mount or other optics the loop starts from what was
    // learnt with both, or from its defaults.
    Expected<void> choose(RigPart part, const std::string& id);
    // A copy with an identity of its own, in use from now on.
    void duplicate(RigPart part);
    // Not the one in use. Rigs that it was part of go with it.
    Expected<void> remove(RigPart part, const std::string& id);

Q_SIGNALS:
    void
    replaced(); // by another rig: what was measured with the former says nothing of it; changed() follows
    void changed();

private:
    void use(const Rig& rig);
    void keep();
    Expected<void> allOnDisk();
    // The newest rig of this evening with that part; null: none.
    const Rig* lastKept(RigPart part, const std::string& id) const;
    // Where it was together before, as it was then.
    Rig togetherAgain(const Rig& rig) const;
    RigLibrary library() const { return RigLibrary(evening_.dataFolder() / "rigs"); }
    RigDrawers drawers() const { return RigDrawers(evening_.dataFolder()); }
    EveningStore& evening_;
    Rig rig_;
    std::vector<Rig> kept_; // this evening, the last one last: they may still be on their way to disk
    CivilTime zone_;        // of its site
};

} // namespace nordstjerna
