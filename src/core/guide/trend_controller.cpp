#include "core/guide/trend_controller.h"

namespace nordstjerna {

namespace {
// A rate that holds for minutes: it may change by 0.3 ″/min within five.
FilterModel slowModel() {
    FilterModel m;
    m.walk_arcsec2_s = 3e-5;
    m.rateWalk_arcsec2_s3 = 8e-8;
    m.airShare = 0.3;
    return m;
}
} // namespace

TrendController::TrendController() : filter_(slowModel()) {}

double TrendController::correction(const AxisInput& s, bool) {
    load_ += s.moved_arcsec;
    filter_.advance(last_s_ ? s.t_s - *last_s_ : 0.0, 0.0);
    last_s_ = s.t_s;
    if (s.place_arcsec) {
        const double own = *s.place_arcsec + s.pending_arcsec - load_;
        noise_.feed(s.t_s, own, s.centroid_arcsec);
        filter_.update(own, noise_.variance_arcsec2());
    }
    return filter_.mount(s.next_s, 0.0).value + load_ - s.aimNext_arcsec();
}

} // namespace nordstjerna
