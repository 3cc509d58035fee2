#include "core/sky/field_match.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <limits>
#include <numbers>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/sky/found_stars.h"

namespace nordstjerna {

namespace {

using Complex = std::complex<double>;

// Pairs are made of the brightest alone: a catalogue star is among them, and their number grows with the
// square.
constexpr size_t pairStars = 30;
constexpr double mostTrials = 1.5e6; // where there would be more, pairs are made of fewer stars

// Places of catalogue stars are some decades old; stars move by 0.02″ a year, some by ten times as much.
constexpr double catalogue_arcsec = 0.6;
constexpr double farShare = 0.2;   // of stars whose place fits less well than it should
constexpr double farTimes = 3.0;   // by so much
constexpr double seenShare = 0.85; // of the catalogue's stars, beside doubles, flaws and the edge

// A camera's colours are not the catalogue's: what remains of a star's magnitude after a common zero point.
constexpr double colour_mag = 0.45;
inline const double zeroColour_mag = std::sqrt(1.5) * colour_mag; // with the zero point's own, from two stars
constexpr double oddShare = 0.15; // of magnitudes that fit not at all: saturated, variable, two in one
constexpr double oddRange_mag = 8.0;
constexpr double pairColour_mag = 1.5; // the most by which the two of a pair may differ from the catalogue's

double square(double x) {
    return x * x;
}
double bell(double x, double sigma) {
    return std::exp(-0.5 * square(x / sigma)) / (sigma * std::sqrt(2.0 * std::numbers::pi));
}

// A catalogue star as seen from another: on the plane that touches the sphere there, east and north, radians.
struct Neighbour {
    size_t star = 0;
    Complex from;
    double distance = 0.0;
};

// Two stars of the frame.
struct FoundPair {
    size_t i = 0, j = 0;
    Complex apart;
    double distance = 0.0; // px
};

struct PairTrial {
    const Neighbour* b = nullptr;
    const FoundPair* pair = nullptr;
    bool swapped = false;
    bool mirrored = false;
};

class Matcher {
public:
    Matcher(const std::vector<FieldStar>& stars, int width, int height,
            const std::vector<CatalogueStar>& catalogue, const FieldHint& hint)
        : found_(stars, width, height), catalogue_(catalogue), hint_(hint), width_(width), height_(height),
          scale_(hint.scale_arcsec_px / arcsecPerRad), diagonal_(std::hypot(width, height)) {
        lowest_ = scale_ * (1.0 - hint.scaleTolerance);
        highest_ = scale_ * (1.0 + hint.scaleTolerance);
        order_.resize(catalogue.size());
        for (size_t i = 0; i < order_.size(); ++i)
            order_[i] = i;
        std::sort(order_.begin(), order_.end(),
                  [&](size_t a, size_t b) { return catalogue_[a].icrs.z() < catalogue_[b].icrs.z(); });
        // Where many should stand on the frame, the brightest are enough.
        size_t use = static_cast<double>(catalogue.size()) * share() > pairStars ? pairStars / 2 : pairStars;
        makePairs(use);
        for (size_t a = 0; a < anchors_; ++a) // later there are fewer, if anything
            around_.push_back(neighboursOf(a));
        constexpr size_t fewest = 8;
        for (trials_ = trials(mostTrials); trials_ > mostTrials && use > fewest; trials_ = trials(mostTrials))
            makePairs(use -= 3);
        // Nothing that will be tried is left out of the bound.
        if (trials_ > mostTrials)
            trials_ = trials(std::numeric_limits<double>::infinity());
    }

    // Ends with the first that is good enough.
    MatchTrial best(const std::atomic<bool>& halt) const {
        const double asked = std::log(std::max(trials_, 1.0) / mostChance);
        double most = -1e9;
        FieldMatch match;
        MatchTrial result;
        for (size_t a = 0; a < anchors_ && !halt && most < asked; ++a)
            eachTrial(a, [&](const PairTrial& t) {
                const double evidence = weigh(a, t, match);
                if (evidence <= most)
                    return;
                match.plane = planeOf(a, t);
                if (liesWithin(match.plane)) {
                    most = evidence;
                    result.match = match;
                }
            });
        if (result.match) {
            result.chance = result.match->chance = std::min(1.0, trials_ * std::exp(-most));
            result.match->plane = fitted(*result.match);
        }
        return result;
    }

    MatchNeed need() const {
        MatchNeed n;
        n.trials = trials_;
        // Of a catalogue star that stands where it should and is as bright as it should be, halfway between
        // the two and as far beside; the typical one of the brightest.
        std::vector<double> evidence;
        for (size_t k = 0; k < std::min(found_.count(), pairStars); ++k) {
            const double catalogue2 = square(catalogue_arcsec / hint_.scale_arcsec_px);
            const double s2 = 2.0 * (catalogue2 + square(found_.star(k).sigma_px));
            const double light = (1.0 - oddShare) * bell(0.0, zeroColour_mag) + oddShare / oddRange_mag;
            evidence.push_back(std::log(seenShare * (1.0 - farShare) / (2.0 * std::numbers::pi * s2) * light /
                                        found_.density(k)));
        }
        if (evidence.empty())
            return n;
        const double asked = std::log(std::max(n.trials, 1.0) / mostChance);
        n.stars = 2 + static_cast<int>(std::ceil(asked / std::max(median(evidence), 1.0)));
        return n;
    }

private:
    // Of the brightest stars of the frame, and as many of the catalogue as should stand on it.
    void makePairs(size_t use) {
        anchors_ =
            std::min(catalogue_.size(), static_cast<size_t>(std::ceil(static_cast<double>(use) / share())));
        pairs_.clear();
        // Two stars near each other turn the frame anywhere.
        constexpr double nearest = 0.1;
        for (size_t i = 0; i < std::min(found_.count(), use); ++i)
            for (size_t j = i + 1; j < std::min(found_.count(), use); ++j) {
                const Complex apart = found_.place(j) - found_.place(i);
                if (std::abs(apart) > nearest * diagonal_)
                    pairs_.push_back({i, j, apart, std::abs(apart)});
            }
        std::sort(pairs_.begin(), pairs_.end(),
                  [](const FoundPair& a, const FoundPair& b) { return a.distance < b.distance; });
    }

    // Of the catalogue's region, by area, that the frame shows.
    double share() const {
        const double reach = hint_.radius.rad() + 0.5 * diagonal_ * scale_;
        return std::min(1.0, width_ * height_ * square(scale_) / (std::numbers::pi * square(reach)));
    }

    // Counted no further than somewhat beyond `most`.
    double trials(double most) const {
        double tried = 0.0;
        for (size_t a = 0; a < anchors_ && tried <= most; ++a)
            eachTrial(a, [&](const PairTrial&) { tried += 1.0; });
        return tried;
    }

    // East and north, in radians, as one turn, stretch and shift of the frame: by least squares over the
    // pairs.
    TangentPlane fitted(const FieldMatch& match) const {
        TangentPlane sky;
        sky.centre = match.plane.centre;
        const bool mirrored = match.plane.mirrored();
        Complex frameMean, skyMean;
        std::vector<std::pair<Complex, Complex>> places;
        for (const auto& [k, c] : match.pairs) {
            const auto at = sky.pixelAt(catalogue_[c].icrs);
            places.emplace_back(onSky(found_.place(k) - middle(), mirrored), Complex(at->x, at->y));
            frameMean += places.back().first;
            skyMean += places.back().second;
        }
        frameMean /= static_cast<double>(places.size());
        skyMean /= static_cast<double>(places.size());
        Complex product;
        double norm = 0.0;
        for (const auto& [frame, at] : places) {
            product += std::conj(frame - frameMean) * (at - skyMean);
            norm += std::norm(frame - frameMean);
        }
        const Complex turn = product / norm;
        const Complex offset = skyMean - turn * frameMean; // where the middle of the frame falls
        const Compass axes = compassAt(sky.centre);
        TangentPlane plane = planeOf(turn, mirrored);
        plane.centre = (sky.centre + offset.real() * axes.east + offset.imag() * axes.north).normalized();
        plane.reference = {middle().real(), middle().imag()};
        return plane;
    }

    Complex middle() const { return {0.5 * (width_ - 1.0), 0.5 * (height_ - 1.0)}; }

    static TangentPlane planeOf(Complex turn, bool mirrored) {
        const Complex x = turn * onSky({1.0, 0.0}, mirrored);
        const Complex y = turn * onSky({0.0, 1.0}, mirrored);
        TangentPlane plane;
        plane.cd << x.real(), y.real(), x.imag(), y.imag();
        return plane;
    }

    std::vector<Neighbour> neighboursOf(size_t a) const {
        const double reach = diagonal_ * highest_;
        const Vec3& middle = catalogue_[a].icrs;
        const Compass axes = compassAt(middle);
        std::vector<Neighbour> around;
        const auto below = [&](size_t i, double z) { return catalogue_[i].icrs.z() < z; };
        const double least = std::cos(std::min(reach, 1.0));
        for (auto it = std::lower_bound(order_.begin(), order_.end(), middle.z() - reach, below);
             it != order_.end() && catalogue_[*it].icrs.z() <= middle.z() + reach; ++it) {
            const Vec3& v = catalogue_[*it].icrs;
            const double depth = v.dot(middle);
            if (*it == a || depth < least)
                continue;
            const Complex from(v.dot(axes.east) / depth, v.dot(axes.north) / depth);
            around.push_back({*it, from, std::abs(from)});
        }
        std::sort(around.begin(), around.end(),
                  [](const Neighbour& x, const Neighbour& y) { return x.star < y.star; });
        return around;
    }

    // Every pair of the frame that may be this catalogue star and one of its neighbours.
    template <typename Use>
    void eachTrial(size_t a, const Use& use) const {
        for (const Neighbour& b : around_[a]) {
            if (b.star >= anchors_)
                break; // brightest first
            auto it = std::lower_bound(pairs_.begin(), pairs_.end(), b.distance / highest_,
                                       [](const FoundPair& p, double d) { return p.distance < d; });
            for (; it != pairs_.end() && it->distance * lowest_ <= b.distance; ++it)
                for (const bool swapped : {false, true}) {
                    const size_t i = swapped ? it->j : it->i;
                    const size_t j = swapped ? it->i : it->j;
                    const double odd = (found_.magnitude(i) - found_.magnitude(j)) -
                                       (catalogue_[a].magnitude - catalogue_[b.star].magnitude);
                    if (std::abs(odd) > pairColour_mag)
                        continue;
                    for (const bool mirrored : {false, true})
                        if (!hint_.mirrored || *hint_.mirrored == mirrored) {
                            const PairTrial t{&b, &*it, swapped, mirrored};
                            if (!hint_.roll || turnedAsKnown(a, t))
                                use(t);
                        }
                }
        }
    }

    // east + i·north of a step along the sensor. Unmirrored, east lies left of north.
    static Complex onSky(Complex onFrame, bool mirrored) { return mirrored ? onFrame : -std::conj(onFrame); }
    Complex apartOf(const PairTrial& t) const { return t.swapped ? -t.pair->apart : t.pair->apart; }
    // Radians of sky a pixel, and the turn of it.
    Complex turnOf(const PairTrial& t) const { return t.b->from / onSky(apartOf(t), t.mirrored); }

    bool turnedAsKnown(size_t a, const PairTrial& t) const {
        const Complex turn = turnOf(t);
        const Complex up = turn * onSky({0.0, 1.0}, t.mirrored);
        // North at the middle of the frame: on the plane that touches the sphere at the star, meridians are
        // straight lines through the pole.
        const Complex at =
            turn * onSky(middle() - found_.place(t.swapped ? t.pair->j : t.pair->i), t.mirrored);
        const double sine = catalogue_[a].icrs.z();
        const double cosine = std::hypot(catalogue_[a].icrs.x(), catalogue_[a].icrs.y());
        const Complex north(-at.real() * sine, cosine - at.imag() * sine);
        const Angle turned =
            Angle::fromRad(std::atan2(up.real(), up.imag()) - std::atan2(north.real(), north.imag()));
        return std::abs((turned - *hint_.roll).wrappedSigned().rad()) <= hint_.rollTolerance.rad();
    }

    bool liesWithin(const TangentPlane& plane) const {
        return separation(plane.centre, hint_.near).rad() <= hint_.radius.rad();
    }

    TangentPlane planeOf(size_t a, const PairTrial& t) const {
        // Seen from the first star, then moved to the middle of the frame, where north has another direction.
        TangentPlane atStar = planeOf(turnOf(t), t.mirrored);
        atStar.centre = catalogue_[a].icrs;
        const FieldStar& star = found_.star(t.swapped ? t.pair->j : t.pair->i);
        atStar.reference = {star.x, star.y};
        return movedTo(atStar, {middle().real(), middle().imag()});
    }

    // Logarithm of the likelihood ratio of all catalogue stars beside the two.
    double weigh(size_t a, const PairTrial& t, FieldMatch& match) const {
        const size_t i = t.swapped ? t.pair->j : t.pair->i;
        const size_t j = t.swapped ? t.pair->i : t.pair->j;
        const Complex turn = turnOf(t);
        const Complex origin = found_.place(i);
        const double px_arcsec = 1.0 / (std::abs(turn) * arcsecPerRad);
        const double zero = 0.5 * (found_.magnitude(i) - catalogue_[a].magnitude + found_.magnitude(j) -
                                   catalogue_[t.b->star].magnitude);
        const double catalogue_px = catalogue_arcsec * px_arcsec;
        const double pair2 =
            0.5 * (square(found_.star(i).sigma_px) + square(found_.star(j).sigma_px)) + square(catalogue_px);
        double evidence = 0.0;
        constexpr double hopeless = -7.0;
        match.pairs.assign({{i, a}, {j, t.b->star}});
        for (const Neighbour& c : around_[a]) {
            if (c.star == t.b->star)
                continue;
            const Complex at = origin + onSky(c.from / turn, t.mirrored);
            const double margin = 3.0;
            if (at.real() < margin || at.imag() < margin || at.real() > width_ - margin ||
                at.imag() > height_ - margin)
                continue;
            // What the two stars' own errors make of a place away from them.
            const Complex z = c.from / t.b->from;
            const double spread2 = pair2 * (std::norm(1.0 - z) + std::norm(z)) + square(catalogue_px);
            const double widest = std::sqrt(spread2 + 0.25) * farTimes;
            double likelihood = 0.0;
            size_t nearest = found_.count();
            double nearest2 = 1e30;
            found_.near(at.real(), at.imag(), 3.0 * widest, [&](size_t k) {
                for (const auto& taken : match.pairs)
                    if (taken.first == k)
                        return;
                const double d2 = std::norm(found_.place(k) - at);
                const double s2 = spread2 + square(found_.star(k).sigma_px);
                const double far2 = s2 * square(farTimes);
                const double place = (1.0 - farShare) * std::exp(-0.5 * d2 / s2) / s2 +
                                     farShare * std::exp(-0.5 * d2 / far2) / far2;
                const double odd = found_.magnitude(k) - catalogue_[c.star].magnitude - zero;
                const double light = (1.0 - oddShare) * bell(odd, zeroColour_mag) + oddShare / oddRange_mag;
                likelihood += place / (2.0 * std::numbers::pi) * light / found_.density(k);
                if (d2 < nearest2) {
                    nearest2 = d2;
                    nearest = k;
                }
            });
            const double ratio = 1.0 - seenShare + seenShare * likelihood;
            evidence += std::log(ratio);
            if (ratio > 1.0 && nearest < found_.count())
                match.pairs.emplace_back(nearest, c.star);
            if (evidence < hopeless)
                return evidence;
        }
        return evidence;
    }

    FoundStars found_;
    const std::vector<CatalogueStar>& catalogue_;
    FieldHint hint_;
    double width_, height_;
    double scale_;    // radians a pixel
    double diagonal_; // px
    double lowest_ = 0.0, highest_ = 0.0;
    double trials_ = 0.0;
    size_t anchors_ = 0; // so many of the catalogue make pairs
    std::vector<FoundPair> pairs_;
    std::vector<std::vector<Neighbour>> around_; // of each anchor, within a diagonal, brightest first
    std::vector<size_t> order_;                  // of the catalogue, from south to north
};

} // namespace

Expected<FieldMatch> matchField(const std::vector<FieldStar>& stars, int width, int height,
                                const std::vector<CatalogueStar>& catalogue, const FieldHint& hint,
                                const std::atomic<bool>& halt) {
    const MatchTrial best = Matcher(stars, width, height, catalogue, hint).best(halt);
    if (halt)
        return tl::unexpected(
            Problem{Text::say("Halted."), Text::say("Solving was broken off."), "", false, true});
    if (best.chance <= mostChance)
        return *best.match;
    Text why =
        Text::say("%1 of the frame were compared with %2 within %3°.")
            .arg(Text::say("%n star|%n stars", "", static_cast<int>(stars.size())))
            .arg(Text::say("%n catalogue star|%n catalogue stars", "", static_cast<int>(catalogue.size())))
            .arg(formatNumber(hint.radius.deg(), 1));
    if (best.match && best.match->pairs.size() > 2)
        why += Text::say("At best %1 fit, and as many could fit by chance.").arg(best.match->pairs.size());
    return problem(
        Text::say("The stars of the frame match no place near the expected one."), why,
        Text::say(
            "Expose longer, or say more exactly where the telescope points and how the camera is turned."));
}

MatchTrial bestTrial(const std::vector<FieldStar>& stars, int width, int height,
                     const std::vector<CatalogueStar>& catalogue, const FieldHint& hint) {
    const std::atomic<bool> never{false};
    return Matcher(stars, width, height, catalogue, hint).best(never);
}

MatchNeed matchNeed(const std::vector<FieldStar>& stars, int width, int height,
                    const std::vector<CatalogueStar>& catalogue, const FieldHint& hint) {
    return Matcher(stars, width, height, catalogue, hint).need();
}

} // namespace nordstjerna
