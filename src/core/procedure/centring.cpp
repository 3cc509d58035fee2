#include "core/procedure/centring.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/procedure/both_fields.h"

namespace nordstjerna {

double CentringPass::off_arcsec() const {
    return std::hypot(east_arcsec, north_arcsec);
}

Centring::Centring(CentringSetup setup) : setup_(std::move(setup)), aim_(setup_.target) {
    bin_ = setup_.bin > 0 ? setup_.bin : solveBinning(setup_.rig, setup_.camera);
}

void Centring::aim(const Event& event) {
    ApproachSetup a;
    a.rig = setup_.rig;
    a.place = ObservedFrame(setup_.rig.site, event.now).hourAngleDec(aim_);
    a.purpose = passes_.empty() ? Text::say("Slewing to %1").arg(setup_.targetName)
                                : Text::say("Correcting by %1")
                                      .arg(formatSkyAngle(Angle::fromArcsec(passes_.back().off_arcsec())));
    a.side = setup_.side;
    a.exposure_s = setup_.exposure_s;
    a.camera = setup_.camera;
    a.bin = bin_;
    a.settle_s = setup_.settle_s;
    a.blind = setup_.blind;
    a.scaleTolerance = setup_.scaleTolerance;
    approach_ = Approach(std::move(a));
    phase_ = Phase::approaching;
}

Step Centring::begin(Event event) {
    event.what = Started{};
    return next(event);
}

Step Centring::advance(const Event& event) {
    if (const auto end = brokenOff(event)) {
        phase_ = Phase::ended;
        return *end;
    }
    if (phase_ == Phase::start || phase_ == Phase::syncing)
        aim(event);
    if (phase_ == Phase::approaching) {
        if (const auto step = approach_.next(event))
            return *step;
        return judge(event);
    }
    return DoneStep{};
}

Step Centring::judge(const Event& event) {
    frame_ = approach_.frame();
    solved_ = unbinned(*approach_.solved(), bin_);
    const Vec3& centre = solved_->plane.centre;
    const Angle off = separation(setup_.target, centre);
    const Angle pa = positionAngle(setup_.target, centre);
    passes_.push_back({equatorialFrom(centre), off.arcsec() * sin(pa), off.arcsec() * cos(pa)});
    if (off.arcsec() <= setup_.tolerance_arcsec) {
        centred_ = true;
        phase_ = Phase::ended;
        return DoneStep{};
    }
    const size_t n = passes_.size();
    // The mount cannot do better when two corrections in a row brought nothing.
    const bool stuck = n >= 3 && passes_[n - 1].off_arcsec() > 0.7 * passes_[n - 2].off_arcsec() &&
                       passes_[n - 2].off_arcsec() > 0.7 * passes_[n - 3].off_arcsec();
    if (stuck || static_cast<int>(n) >= setup_.mostPasses) {
        phase_ = Phase::ended;
        return FailStep{{Text::say("%1 stands %2 off the centre after %3 passes.")
                             .arg(setup_.targetName)
                             .arg(formatSkyAngle(off))
                             .arg(n),
                         stuck
                             ? Text::say("Correcting no longer brings it nearer: backlash or a coarse slew.")
                             : Text::say("The tolerance of %1″ was not reached.")
                                   .arg(formatNumber(setup_.tolerance_arcsec, 0)),
                         Text::say("Allow a wider tolerance, or check clutches and backlash.")}};
    }
    if (setup_.correctBy == CorrectBy::sync) {
        phase_ = Phase::syncing;
        // What was solved is the middle of the exposure; the mount has tracked it since.
        return SyncStep{ObservedFrame(setup_.rig.site, event.now).hourAngleDec(centre)};
    }
    // Aim as far beyond the target as it was missed.
    aim_ = offsetPlace(aim_, pa + Angle::fromDeg(180.0), off);
    aim(event);
    return *approach_.next(event);
}

double Centring::effectiveFocal_mm() const {
    if (!solved_)
        return 0.0;
    const double perPixel = seenPlane(*solved_, setup_.rig.site).scaleArcsecPx() / arcsecPerRad;
    const CameraSpec& c = sensorOf(setup_.rig, setup_.camera);
    return 0.001 * c.pixel_um * c.bin / perPixel;
}

Progress Centring::progress() const {
    using State = ProgressStep::State;
    Progress p;
    for (size_t i = 0; i < passes_.size(); ++i)
        p.steps.push_back({Text::say("Pass %1").arg(i + 1), State::done});
    if (phase_ == Phase::approaching || phase_ == Phase::syncing)
        p.steps.push_back({Text::say("Pass %1").arg(passes_.size() + 1), State::running});
    p.fraction = -1.0;
    p.waitingFor = approach_.waitingFor();
    return p;
}

} // namespace nordstjerna
