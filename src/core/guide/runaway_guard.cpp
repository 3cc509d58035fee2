#include "core/guide/runaway_guard.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr size_t window = 6;
constexpr size_t mostLate = 2;   // frames, by which pulses may show later than told
constexpr double decided = 16.0; // difference of χ², far beyond chance
// What worm and drift do meanwhile is the same from frame to frame, or changes evenly; standard deviations. A
// worm of 60″ peak to peak in 144 s reaches 1.3 ″/s and 0.06 ″/s². More would hide a reversed axis for
// longer.
constexpr double fastestWorm_arcsec_s = 0.5;
constexpr double wormBend_arcsec_s2 = 0.06;
constexpr double jitter_arcsec_s = 0.05;        // and what it does besides
constexpr double rateTrust = 0.3;               // relative, of rates and their use elsewhere
constexpr double obeysBy[] = {0.8, 2.0};        // of what the rates say, least and most
constexpr double strongBy = 1.8;                // of it, least
constexpr double backlashAllowed_arcsec = 26.0; // an axis may stand still for so much of commanded motion
constexpr double leastError_arcsec = 2.0;

double part(const SkyError& e, Axis axis) {
    return axis == Axis::ra ? e.dra_arcsec : e.ddec_arcsec;
}

// χ² of what an explanation leaves of the motions, an even natural motion of a size that mounts have allowed
// for.
class Misfit {
public:
    void add(double left, double variance, double middle, double dt_s) {
        const Eigen::Vector2d natural(dt_s, middle * dt_s * dt_s);
        square_ += left * left / variance;
        seen_ += natural * left / variance;
        known_ += natural * natural.transpose() / variance;
    }
    double chiSquare() const {
        Eigen::Matrix2d with = known_;
        with(0, 0) += 1.0 / (fastestWorm_arcsec_s * fastestWorm_arcsec_s);
        with(1, 1) += 1.0 / (wormBend_arcsec_s2 * wormBend_arcsec_s2);
        return square_ - seen_.dot(with.inverse() * seen_);
    }

private:
    double square_ = 0.0;
    Eigen::Vector2d seen_ = Eigen::Vector2d::Zero();
    Eigen::Matrix2d known_ = Eigen::Matrix2d::Zero();
};
} // namespace

void RunawayGuard::forget() {
    steps_.clear();
    last_.reset();
}

size_t RunawayGuard::first() const {
    return steps_.size() > window ? steps_.size() - window : 0;
}

std::optional<Runaway> RunawayGuard::feed(const SkyError& error, const SkyError& commanded, double dt_s,
                                          double noise) {
    if (last_) {
        steps_.push_back({{error.dra_arcsec - last_->dra_arcsec, error.ddec_arcsec - last_->ddec_arcsec},
                          commanded,
                          error,
                          dt_s});
        if (steps_.size() > window + mostLate)
            steps_.pop_front();
    }
    last_ = error;
    for (Axis axis : {Axis::dec, Axis::ra})
        if (auto r = judge(axis, noise))
            return r;
    return std::nullopt;
}

RunawayGuard::Explained RunawayGuard::explain(Axis axis, double noise) const {
    const Axis other = axis == Axis::ra ? Axis::dec : Axis::ra;
    // At once, a frame late, …
    struct Late {
        Misfit told, byAnother, backwards, crossedWith, crossedAgainst, tooFar;
        double products = 0.0, squares = 1e-12;
        double goesBy() const { return products / squares; }
    };
    std::array<Late, mostLate + 1> late;
    Misfit standing;
    Explained e;
    const auto commanded = [&](size_t step, size_t by, Axis of) {
        return step >= by ? part(steps_[step - by].commanded, of) : 0.0;
    };
    for (size_t i = first(); i < steps_.size(); ++i)
        for (size_t k = 0; k <= mostLate; ++k) {
            const double wanted = commanded(i, k, axis);
            late[k].products += part(steps_[i].moved, axis) * wanted;
            late[k].squares += wanted * wanted;
        }
    double motor = 0.0;
    double lowest = 0.0;
    double highest = 0.0;
    for (size_t i = first(); i < steps_.size(); ++i) {
        const Step& s = steps_[i];
        const double moved = part(s.moved, axis);
        const double middle = static_cast<double>(i) - 0.5 * static_cast<double>(first() + steps_.size() - 1);
        const double air2 = 2.0 * noise * noise + std::pow(jitter_arcsec_s * s.dt_s, 2);
        double most2 = 0.0;
        for (size_t k = 0; k <= mostLate; ++k) {
            const double wanted = commanded(i, k, axis);
            const double crossed = commanded(i, k, other);
            const double variance =
                air2 + std::pow(rateTrust * std::max(std::abs(wanted), std::abs(crossed)), 2);
            most2 = std::max(most2, variance);
            const auto leaves = [&](Misfit& of, double left) { of.add(left, variance, middle, s.dt_s); };
            leaves(late[k].told, moved - wanted);
            leaves(late[k].byAnother, moved - std::clamp(late[k].goesBy(), obeysBy[0], obeysBy[1]) * wanted);
            leaves(late[k].backwards, moved + wanted);
            leaves(late[k].crossedWith, moved - crossed);
            leaves(late[k].crossedAgainst, moved + crossed);
            leaves(late[k].tooFar, moved - std::max(late[k].goesBy(), strongBy) * wanted);
        }
        standing.add(moved, most2, middle, s.dt_s);
        motor += commanded(i, 0, axis);
        lowest = std::min(lowest, motor);
        highest = std::max(highest, motor);
        const double before = part(s.error, axis) - moved;
        e.swinging = e.swinging && before * part(s.error, axis) < 0.0;
        e.growing = e.growing && std::abs(part(s.error, axis)) > std::abs(before);
    }
    e.reach_arcsec = highest - lowest;
    const auto likeliest = [&](auto... of) {
        double least = 1e300;
        for (const Late& l : late)
            least = std::min({least, (l.*of).chiSquare()...});
        return least;
    };
    e.right = likeliest(&Late::told);
    e.obeying = likeliest(&Late::told, &Late::byAnother);
    e.reversed = likeliest(&Late::backwards);
    e.still = standing.chiSquare();
    e.swapped = likeliest(&Late::crossedWith, &Late::crossedAgainst);
    e.strong = likeliest(&Late::tooFar);
    return e;
}

std::optional<Runaway> RunawayGuard::judge(Axis axis, double noise) const {
    if (steps_.size() < 4)
        return std::nullopt;
    const double now = std::abs(part(steps_.back().error, axis));
    if (now < std::max(leastError_arcsec, 4.0 * noise))
        return std::nullopt;
    const Explained e = explain(axis, noise);
    Runaway r{axis, RunawayCause::reversed, part(steps_.back().error, axis),
              static_cast<int>(steps_.size() - first())};
    const double best = std::min({e.reversed, e.still, e.swapped, e.strong});
    // A gust is explained by none of these, and so is no running away.
    constexpr double explained = 4.0; // χ² for each step
    if (e.right - best < decided || best > explained * r.frames)
        return std::nullopt;
    if (best == e.reversed && e.growing)
        return r;
    if (best == e.swapped && e.growing && e.swapped < e.still - 0.5 * decided) {
        r.cause = RunawayCause::swapped;
        return r;
    }
    // Corrections that chase the air look like it but for this: here the error swings to and fro, and grows.
    const double before = std::abs(part(steps_[first()].error, axis));
    if (best == e.strong && e.swinging && e.growing && now > 2.0 * before) {
        r.cause = RunawayCause::tooStrong;
        return r;
    }
    // Standing still is what backlash does; only more than any gear has is another matter.
    if (best == e.still && e.obeying - best >= decided &&
        e.reach_arcsec > backlashAllowed_arcsec + 8.0 * noise && now > 0.8 * before) {
        // An axis whose partner needs hardly any pulses stands still, too, when the two are exchanged: then
        // it is the partner that moves with the pulses of this one.
        const Explained partner = explain(axis == Axis::ra ? Axis::dec : Axis::ra, noise);
        const bool exchanged =
            e.swapped + partner.swapped < e.still + std::min(partner.right, partner.still) - 0.5 * decided;
        r.cause = exchanged ? RunawayCause::swapped : RunawayCause::notFollowing;
        return r;
    }
    return std::nullopt;
}

Problem runawayProblem(const Runaway& r) {
    const std::string axis = r.axis == Axis::ra ? "RA" : "Dec";
    const Text what = Text::say("%1 ran away and is no longer corrected.").arg(axis);
    const Text seen = Text::say("Within %1 the star went %2″ off")
                          .arg(Text::say("%n frame|%n frames", "", r.frames))
                          .arg(formatNumber(std::abs(r.error_arcsec), 1));
    switch (r.cause) {
    case RunawayCause::reversed:
        return {what,
                Text::say("%1, driven by the corrections themselves: %2 pulses work the other way than the "
                          "rates say. That is so with rates of the other side of the pier, or after the "
                          "wiring or a reversing switch was changed.")
                    .arg(seen)
                    .arg(axis),
                Text::say("Measure the rates on this side.")};
    case RunawayCause::swapped:
        return {what,
                Text::say("%1 while pulses of the other axis were given: the two are exchanged in the cable.")
                    .arg(seen),
                Text::say("Correct the cable or the mount's set-up, then measure the rates.")};
    case RunawayCause::tooStrong:
        return {what, Text::say("%1: each correction moved it much farther than the rates say.").arg(seen),
                Text::say("The guide rate or the focal length was changed since; measure the rates again.")};
    case RunawayCause::notFollowing:
        break;
    }
    return {
        what, Text::say("%1 and pulses had no effect.").arg(seen),
        Text::say("Check the guide cable, the %1 clutch, the balance, and the gears for very large backlash.")
            .arg(axis)};
}

} // namespace nordstjerna
