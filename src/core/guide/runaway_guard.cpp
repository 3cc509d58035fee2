#include "core/guide/runaway_guard.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
constexpr size_t window = 5;
constexpr double decided = 25.0;            // difference of χ², far beyond chance
constexpr double natural_arcsec_s = 0.1;    // what worm and drift do by themselves
constexpr double rateTrust = 0.3;           // relative, of rates and their use elsewhere
constexpr double playAllowed_arcsec = 20.0; // an axis may stand still for so much of commanded motion
constexpr double leastError_arcsec = 2.0;

double part(const SkyError& e, Axis axis) {
    return axis == Axis::ra ? e.dra_arcsec : e.ddec_arcsec;
}
} // namespace

void RunawayGuard::forget() {
    steps_.clear();
    last_.reset();
}

std::optional<Runaway> RunawayGuard::feed(const SkyError& error, const SkyError& commanded, double dt_s,
                                          double noise) {
    if (last_) {
        steps_.push_back({{error.dra_arcsec - last_->dra_arcsec, error.ddec_arcsec - last_->ddec_arcsec},
                          commanded,
                          error,
                          dt_s});
        if (steps_.size() > window)
            steps_.pop_front();
    }
    last_ = error;
    for (Axis axis : {Axis::dec, Axis::ra})
        if (auto r = judge(axis, noise))
            return r;
    return std::nullopt;
}

std::optional<Runaway> RunawayGuard::judge(Axis axis, double noise) const {
    const Axis other = axis == Axis::ra ? Axis::dec : Axis::ra;
    if (steps_.size() < 4)
        return std::nullopt;
    double right = 0.0;
    double reversed = 0.0;
    double still = 0.0;
    double swappedSquares = 0.0;
    double strong = 0.0;
    double commanded = 0.0;
    bool growing = true;
    bool swinging = true;
    // By how much more than told the axis goes.
    double products = 0.0;
    double wantedSquares = 1e-12;
    for (const Step& s : steps_) {
        products += part(s.moved, axis) * part(s.commanded, axis);
        wantedSquares += std::pow(part(s.commanded, axis), 2);
    }
    const double factor = std::max(products / wantedSquares, 1.8);
    for (size_t i = 0; i < steps_.size(); ++i) {
        const Step& s = steps_[i];
        const double moved = part(s.moved, axis);
        const double wanted = part(s.commanded, axis);
        const double crossed = part(s.commanded, other);
        const double variance = 2.0 * noise * noise + std::pow(natural_arcsec_s * s.dt_s, 2) +
                                std::pow(rateTrust * std::max(std::abs(wanted), std::abs(crossed)), 2);
        right += std::pow(moved - wanted, 2) / variance;
        reversed += std::pow(moved + wanted, 2) / variance;
        still += moved * moved / variance;
        swappedSquares += std::min(std::pow(moved - crossed, 2), std::pow(moved + crossed, 2)) / variance;
        strong += std::pow(moved - factor * wanted, 2) / variance;
        commanded += std::abs(wanted);
        const double before = part(s.error, axis) - moved;
        swinging = swinging && before * part(s.error, axis) < 0.0;
        growing = growing && std::abs(part(s.error, axis)) > std::abs(before);
    }
    const double now = std::abs(part(steps_.back().error, axis));
    if (now < std::max(leastError_arcsec, 4.0 * noise))
        return std::nullopt;
    Runaway r{axis, RunawayCause::reversed, part(steps_.back().error, axis), static_cast<int>(steps_.size())};
    const double best = std::min({reversed, still, swappedSquares, strong});
    // A gust is explained by none of these, and so is no running away.
    constexpr double explained = 4.0; // χ² for each step
    if (right - best < decided || best > explained * static_cast<double>(steps_.size()))
        return std::nullopt;
    if (best == reversed && growing)
        return r;
    if (best == swappedSquares && growing && swappedSquares < still - 0.5 * decided) {
        r.cause = RunawayCause::swapped;
        return r;
    }
    // Corrections that chase the air look like it but for this: here the error swings to and fro, and grows.
    if (best == strong && swinging && growing && now > 2.0 * std::abs(part(steps_.front().error, axis))) {
        r.cause = RunawayCause::tooStrong;
        return r;
    }
    // Standing still is what play does; only more than any gear has is another matter.
    const double first = std::abs(part(steps_.front().error, axis));
    if (best == still && commanded > playAllowed_arcsec + 8.0 * noise && now > 0.8 * first) {
        r.cause = RunawayCause::notFollowing;
        return r;
    }
    return std::nullopt;
}

Problem runawayProblem(const Runaway& r) {
    const std::string axis = r.axis == Axis::ra ? "RA" : "Dec";
    const std::string what = axis + " ran away and is no longer corrected.";
    const std::string seen = "Within " + formatCount(r.frames, "frame") + " the star went " +
                             formatNumber(std::abs(r.error_arcsec), 1) + "″ off";
    switch (r.cause) {
    case RunawayCause::reversed:
        return {what,
                seen + ", driven by the corrections themselves: " + axis +
                    " pulses work the other way than the rates say. That is so with rates of the other side "
                    "of the "
                    "pier, or after the wiring or a reversing switch was changed.",
                "Measure the rates on this side."};
    case RunawayCause::swapped:
        return {what,
                seen + " while pulses of the other axis were given: the two are exchanged in the cable.",
                "Correct the cable or the mount's set-up, then measure the rates."};
    case RunawayCause::tooStrong:
        return {what, seen + ": each correction moved it much farther than the rates say.",
                "The guide rate or the focal length was changed since; measure the rates again."};
    case RunawayCause::notFollowing:
        break;
    }
    return {what, seen + " and pulses had no effect.",
            "Check the guide cable, the " + axis +
                " clutch, the balance, and the gears for very large backlash."};
}

} // namespace nordstjerna
