#include "core/procedure/horizon_look.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/image/star_detect.h"
#include "core/procedure/camera_side.h"
#include "core/procedure/slew.h"
#include "core/sky/air_mass.h"
#include "core/sky/local_place.h"
#include "core/sky/observed_frame.h"

namespace nordstjerna {

namespace {
constexpr double referenceAltitude_deg = 62.0;
constexpr int fewestReference = 25;     // stars of a free field
constexpr double longestLook_s = 12.0;  // exposure
constexpr double leastFreeShare = 0.15; // of the reference's stars: the field is partly free at least
constexpr int freeStars = 3;            // and not by chance
constexpr double cloudShare = 0.4;      // of its stars, when it is looked at again
constexpr int columnsBetween = 10;      // looks at the reference
constexpr double pointing_deg = 0.25;   // common error of a mount that was synced
constexpr double mostOff_deg = 1.0;     // of the mount
constexpr double smallestStride_deg = 4.0, greatestStride_deg = 16.0;

Vec3 towards(double azimuth_deg, double altitude_deg) {
    return vectorFrom(AltAz{Angle::fromDeg(altitude_deg), Angle::fromDeg(azimuth_deg)});
}
} // namespace

// East of the meridian first, then west of it: the mount comes over once.
HorizonLook::HorizonLook(HorizonLookSetup setup) : setup_(std::move(setup)), exposure_s_(setup_.exposure_s) {
    const double step = setup_.azimuthStep_deg;
    for (double az = 180.0 - 0.5 * step; az > 0.0; az -= step)
        ahead_.push_back(az);
    for (double az = 360.0 - 0.5 * step; az > 180.0; az -= step)
        ahead_.push_back(az);
    planned_ = ahead_.size();
}

double HorizonLook::lowest_deg() const {
    return std::max(3.0, setup_.rig.mount.lowestAltitude.deg() + 0.3);
}

// As at the nearest azimuth that is known.
double HorizonLook::guess_deg(double azimuth) const {
    double guess = 20.0, nearest = 1e9;
    for (const HorizonFound& f : found_) {
        const double away = std::abs((f.azimuth - Angle::fromDeg(azimuth)).wrappedSigned().deg());
        if (away < nearest)
            nearest = away, guess = f.altitude_deg.value;
    }
    return std::clamp(guess + 1.0, lowest_deg(), setup_.highest_deg);
}

double HorizonLook::expected(double altitude) const {
    // 0.25 mag for an air mass, and star numbers that grow by 10^0.4 for a magnitude (both common practice).
    constexpr double perAirMass = 0.25 * 0.4;
    const double more = airMass(Angle::fromDeg(altitude)) - airMass(Angle::fromDeg(referenceAltitude_deg));
    return reference_ * std::pow(10.0, -perAirMass * more);
}

Step HorizonLook::to(double azimuth, double altitude, const Event& event) {
    phase_ = Phase::arriving;
    const HourAngleDec place = placeOf(setup_.rig.site, towards(azimuth, altitude));
    return arrival_.begin(announcedSlew(setup_.rig, event, place,
                                        Text::say("Looking at azimuth %1°, altitude %2°")
                                            .arg(formatNumber(azimuth, 0))
                                            .arg(formatNumber(altitude, 0))),
                          setup_.settle_s);
}

Step HorizonLook::advance(const Event& event) {
    // What was found is kept.
    if (std::holds_alternative<StopAsked>(event.what))
        return DoneStep{};
    if (const auto* failed = std::get_if<StepFailed>(&event.what)) {
        // A place that the mount does not go to, or does not track at, for a limit of its own: the others are
        // still of use.
        if (arrival_.moving() && !failed->problem.userRequested && column_) {
            column_.reset();
            ++leftOut_;
            return nextColumn(event);
        }
        return FailStep{failed->problem};
    }
    switch (phase_) {
    case Phase::start:
        // Near the meridian, on the side that comes first.
        return to(150.0, referenceAltitude_deg, event);
    case Phase::arriving:
        if (auto step = arrival_.next())
            return std::move(*step);
        phase_ = Phase::exposing;
        return ExposeStep{exposure_s_, solvingCamera(setup_.rig)};
    case Phase::exposing: {
        frame_ = std::get<FrameTaken>(event.what).frame;
        ++frames_;
        const auto field = detectStars(*frame_);
        if (!field)
            return FailStep{field.error()};
        const int stars = static_cast<int>(field->stars.size());
        return column_ ? seen(stars, event) : checkReference(stars, event);
    }
    case Phase::solving: {
        const auto& solution = std::get<FrameSolved>(event.what).solution;
        solved_ = true;
        if (!solution)
            return FailStep{{Text::say("The first field could not be solved."), solution.error().what,
                             Text::say("The look around must know where the telescope points: focus, wait "
                                       "until it is darker, or centre a star first.")}};
        const HourAngleDec truth =
            ObservedFrame(setup_.rig.site, solution->when).hourAngleDec(solution->plane.centre);
        const double off = separation(directionOf(setup_.rig.site, truth),
                                      directionOf(setup_.rig.site, event.mount.pointing))
                               .deg();
        if (off > mostOff_deg)
            return FailStep{{Text::say("The mount is off by %1°.").arg(formatNumber(off, 1)),
                             Text::say("The horizon would be drawn in the wrong place."),
                             Text::say("Use *Solve here and sync* at Centre, then look around.")}};
        return nextColumn(event);
    }
    }
    return DoneStep{};
}

Step HorizonLook::checkReference(int stars, const Event& event) {
    if (reference_ == 0) {
        if (stars < fewestReference && 2.0 * exposure_s_ <= longestLook_s) {
            exposure_s_ *= 2.0;
            phase_ = Phase::exposing;
            return ExposeStep{exposure_s_, solvingCamera(setup_.rig)};
        }
        if (stars < fewestReference)
            return FailStep{{Text::say("Too few stars to tell the sky from what stands before it."),
                             Text::say("High in the sky, %1 s show %2.")
                                 .arg(formatNumber(exposure_s_, 0))
                                 .arg(Text::say("%n star|%n stars", "", stars)),
                             Text::say("Wait until it is darker, focus, or take the cover off.")}};
        reference_ = stars;
        phase_ = Phase::solving;
        const CameraRole camera = solvingCamera(setup_.rig);
        return solveStepFor(setup_.rig, camera, solveBinning(setup_.rig, camera), event);
    }
    if (stars < cloudShare * reference_)
        return FailStep{
            {Text::say("Clouds came up during the look around."),
             Text::say("The field high in the sky shows %1 of %2 stars.").arg(stars).arg(reference_),
             Text::say("What was found before may be cloud: look around again under a clear sky.")}};
    return last_ ? Step(DoneStep{}) : nextColumn(event);
}

std::optional<double> HorizonLook::nextAltitude() const {
    const Column& c = *column_;
    if (!c.lowestFree_deg && !c.highestHidden_deg)
        return guess_deg(c.azimuth_deg);
    if (!c.highestHidden_deg) { // downwards
        if (*c.lowestFree_deg <= lowest_deg() + 0.01)
            return std::nullopt;
        return std::max(lowest_deg(), *c.lowestFree_deg - c.stride_deg);
    }
    if (!c.lowestFree_deg) { // upwards
        if (*c.highestHidden_deg >= setup_.highest_deg - 0.01)
            return std::nullopt;
        return std::min(setup_.highest_deg, *c.highestHidden_deg + c.stride_deg);
    }
    if (*c.lowestFree_deg - *c.highestHidden_deg <= setup_.within_deg)
        return std::nullopt;
    return 0.5 * (*c.lowestFree_deg + *c.highestHidden_deg);
}

// About: the camera may stand at any angle.
double HorizonLook::fieldHeight_deg() const {
    const CameraRole camera = solvingCamera(setup_.rig);
    const CameraSpec& c = sensorOf(setup_.rig, camera);
    return std::sqrt(static_cast<double>(c.binnedWidth()) * c.binnedHeight()) * scaleOf(setup_.rig, camera) /
           3600.0;
}

Step HorizonLook::seen(int stars, const Event& event) {
    Column& c = *column_;
    const bool first = !c.lowestFree_deg && !c.highestHidden_deg;
    // Once free, all above is free: something that stands in the air is not asked for.
    if (stars >= freeStars && stars >= leastFreeShare * expected(c.at_deg)) {
        c.lowestFree_deg = c.at_deg;
        c.freeShare = std::min(1.0, stars / expected(c.at_deg));
    } else {
        c.highestHidden_deg = c.at_deg;
    }
    // While the other end is not known, the search grows bolder.
    if (!first && !(c.lowestFree_deg && c.highestHidden_deg))
        c.stride_deg = std::min(greatestStride_deg, 2.0 * c.stride_deg);
    if (const auto altitude = nextAltitude()) {
        c.at_deg = *altitude;
        return to(c.azimuth_deg, *altitude, event);
    }
    close();
    return nextColumn(event);
}

// Of the column that is known now.
void HorizonLook::close() {
    const Column& c = *column_;
    HorizonFound f;
    f.azimuth = Angle::fromDeg(c.azimuth_deg);
    f.open = !c.highestHidden_deg;
    f.closed = !c.lowestFree_deg;
    if (f.open)
        f.altitude_deg.value = lowest_deg();
    else if (f.closed)
        f.altitude_deg.value = 90.0, f.sigmaLevel_deg = 0.5 * (90.0 - setup_.highest_deg);
    else {
        // A field counts as free as soon as its upper part is, and its stars tell how much of it: the horizon
        // lies above the middle of one that shows few.
        const double height = fieldHeight_deg();
        const double gap = *c.lowestFree_deg - *c.highestHidden_deg;
        const double above = std::clamp(0.5 - c.freeShare, -0.5, 0.35) * height;
        // All of it may be free, and more below.
        const double below = c.freeShare > 0.85 ? 0.5 * std::max(0.0, gap - height) : 0.0;
        f.altitude_deg.value = *c.lowestFree_deg + above - below;
        f.sigmaLevel_deg =
            std::hypot(std::hypot(std::max(0.0, gap - height) / std::sqrt(12.0), 0.2 * height), pointing_deg);
    }
    f.altitude_deg.sigma = f.sigmaLevel_deg;
    found_.push_back(f);
    std::sort(found_.begin(), found_.end(),
              [](const HorizonFound& a, const HorizonFound& b) { return a.azimuth.deg() < b.azimuth.deg(); });
    column_.reset();
    allowForSlopes();
    lookBetween();
}

// On a slope an error in azimuth is one in altitude: of where the mount points, and of the field's width.
void HorizonLook::allowForSlopes() {
    const size_t n = found_.size();
    const double aside_deg = std::hypot(pointing_deg, 0.3 * fieldHeight_deg());
    for (size_t i = 0; i < n; ++i) {
        double steepest = 0.0;
        for (const size_t j : {(i + 1) % n, (i + n - 1) % n}) {
            const double apart = std::abs((found_[j].azimuth - found_[i].azimuth).wrappedSigned().deg());
            if (apart > 0.1 && apart < 1.01 * setup_.azimuthStep_deg)
                steepest = std::max(
                    steepest, std::abs(found_[j].altitude_deg.value - found_[i].altitude_deg.value) / apart);
        }
        found_[i].altitude_deg.sigma = std::hypot(found_[i].sigmaLevel_deg, steepest * aside_deg);
    }
}

// Neighbours that differ, and are far enough apart: a look between them, next.
void HorizonLook::lookBetween() {
    const size_t n = found_.size();
    for (size_t i = 0; i < n; ++i) {
        const HorizonFound& a = found_[i];
        const HorizonFound& b = found_[(i + 1) % n];
        const double apart = (b.azimuth - a.azimuth).wrapped().deg();
        if (n < 2 || apart > 1.01 * setup_.azimuthStep_deg || apart < 2.0 * setup_.finestStep_deg - 0.01 ||
            std::abs(a.altitude_deg.value - b.altitude_deg.value) <= setup_.alike_deg)
            continue;
        const double between = Angle::fromDeg(a.azimuth.deg() + 0.5 * apart).wrapped().deg();
        if (std::none_of(ahead_.begin(), ahead_.end(),
                         [&](double az) { return std::abs(az - between) < 0.1; })) {
            ahead_.push_front(between);
            ++planned_;
        }
    }
}

Step HorizonLook::nextColumn(const Event& event) {
    if (columnsSince_ >= columnsBetween || (ahead_.empty() && !last_)) {
        last_ = ahead_.empty();
        columnsSince_ = 0;
        // On the side where the telescope is.
        const bool west = event.mount.pointing.hourAngle.wrappedSigned().rad() > 0.0;
        return to(west ? 210.0 : 150.0, referenceAltitude_deg, event);
    }
    ++columnsSince_;
    Column c;
    c.azimuth_deg = ahead_.front();
    ahead_.pop_front();
    c.stride_deg = smallestStride_deg;
    column_ = c;
    column_->at_deg = *nextAltitude();
    return to(c.azimuth_deg, column_->at_deg, event);
}

Progress HorizonLook::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const bool begun = solved_;
    p.steps = {{Text::say("A free field"), begun ? State::done : State::running},
               {Text::say("Round the horizon"), !begun  ? State::ahead
                                                : last_ ? State::done
                                                        : State::running}};
    p.fraction = planned_ ? static_cast<double>(found_.size()) / static_cast<double>(planned_) : 0.0;
    if (frames_ > 3 && !found_.empty()) {
        const double each_s = exposure_s_ + setup_.settle_s + 2.0;
        const double perColumn = static_cast<double>(frames_) / static_cast<double>(found_.size());
        p.timeLeft_s = each_s * perColumn * static_cast<double>(ahead_.size() + (column_ ? 1 : 0));
    }
    p.waitingFor = column_ ? Text::say("azimuth %1°, altitude %2°")
                                 .arg(formatNumber(column_->azimuth_deg, 0))
                                 .arg(formatNumber(column_->at_deg, 0))
                           : Text::say("a field high in the sky");
    return p;
}

HorizonProfile horizonFrom(const std::vector<HorizonFound>& found, const HorizonProfile& before) {
    constexpr double round_deg = 10.0; // about what was found
    std::vector<AltAz> points;
    for (const HorizonFound& f : found)
        points.push_back({Angle::fromDeg(f.altitude_deg.value), f.azimuth});
    for (const AltAz& p : before.points())
        if (std::none_of(found.begin(), found.end(), [&](const HorizonFound& f) {
                return std::abs((f.azimuth - p.azimuth).wrappedSigned().deg()) < round_deg;
            }))
            points.push_back(p);
    return HorizonProfile(std::move(points));
}

} // namespace nordstjerna
