#include "core/pole/pole_book.h"

#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {

bool apart(const AxisFit& a, const AxisFit& b) {
    const double sigma = std::hypot(errorEllipse(a.covariance).major, errorEllipse(b.covariance).major);
    return separation(a.axis, b.axis).arcsec() > std::max(15.0, 4.0 * sigma);
}

MethodResult resultFrom(const Text& name, const AxisFit& fit, const Site& site, PoleReference reference,
                        double vague_arcmin) {
    const PoleError e = poleError(fit, site, reference);
    MethodResult r;
    r.name = name;
    if (e.east_arcmin.sigma < vague_arcmin)
        r.east_arcmin = e.east_arcmin;
    if (e.high_arcmin.sigma < vague_arcmin)
        r.high_arcmin = e.high_arcmin;
    return r;
}

} // namespace

void PoleBook::forgetOthers() {
    drifts_.clear();
    trail_.reset();
    elsewhere_.reset();
}

void PoleBook::measured(const AxisFit& fit, Instant when) {
    if (!path_.empty() && apart(fit, path_.back().fit))
        forgetOthers();
    path_.push_back({fit, true, when});
    liveFrom_ = path_.size();
}

void PoleBook::follow(const std::vector<AxisPoint>& live) {
    path_.resize(std::min(path_.size(), liveFrom_));
    path_.insert(path_.end(), live.begin(), live.end());
    if (movedSinceMeasured())
        forgetOthers();
}

std::optional<AxisPoint> PoleBook::present() const {
    return path_.empty() ? std::nullopt : std::optional<AxisPoint>(path_.back());
}

bool PoleBook::movedSinceMeasured() const {
    const auto last =
        std::find_if(path_.rbegin(), path_.rend(), [](const AxisPoint& p) { return p.measured; });
    return last != path_.rend() && apart(last->fit, path_.back().fit);
}

std::vector<MethodResult> PoleBook::methods(const Site& site, PoleReference reference) const {
    std::vector<MethodResult> list;
    // A component that drift did not show is left out; how far it may be off is known once it was measured.
    double unknown_arcmin = 60.0;
    if (!path_.empty()) {
        const AxisFit& now = path_.back().fit;
        unknown_arcmin = 3.0 + 2.0 * separation(now.axis, elevatedPole(site, true)).arcmin();
        list.push_back(
            resultFrom(path_.back().measured ? Text::say("sightings") : Text::say("live adjusting"), now,
                       site, reference, 60.0));
    }
    const double vague = std::min(5.0, 0.5 * unknown_arcmin);
    if (const auto fit = axisFromDrift(drifts_, site, unknown_arcmin))
        list.push_back(resultFrom(Text::say("drift"), *fit, site, reference, vague));
    if (trail_)
        if (const auto fit = axisFromDrift({*trail_}, site, unknown_arcmin))
            list.push_back(resultFrom(Text::say("trail check"), *fit, site, reference, vague));
    if (elsewhere_) {
        // The air lifts the pole by what the two references differ.
        AxisFit there;
        there.axis = axisWithError(site, elsewhere_->reference, elsewhere_->east_arcmin.value,
                                   elsewhere_->high_arcmin.value);
        const PoleError e = poleError(there, site, reference);
        list.push_back({Text::say("from elsewhere"),
                        Measured{e.east_arcmin.value, elsewhere_->east_arcmin.sigma},
                        Measured{e.high_arcmin.value, elsewhere_->high_arcmin.sigma}});
    }
    return list;
}

} // namespace nordstjerna
