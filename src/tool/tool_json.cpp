#include "tool/tool_json.h"

#include <cmath>

namespace nordstjerna {

Json number(double v, int decimals) {
    if (!std::isfinite(v))
        return nullptr;
    const double unit = std::pow(10.0, decimals);
    const double rounded = std::round(v * unit) / unit;
    return rounded == 0.0 ? 0.0 : rounded; // no "-0.0"
}

Json measured(const Measured& m, int decimals) {
    return {{"value", number(m.value, decimals)}, {"sigma", number(m.sigma, decimals + 1)}};
}

Json findingsJson(const std::vector<Finding>& findings) {
    Json list = Json::array();
    for (const Finding& f : findings)
        list.push_back({{"id", f.id},
                        {"weight", weightName(f.weight)},
                        {"headline", f.headline.english()},
                        {"evidence", f.evidence.english()},
                        {"remedy", f.remedy.english()}});
    return list;
}

Json boundJson(const LoopBound& b) {
    return Json{{"ra", number(b.ra_arcsec, 4)},
                {"dec", number(b.dec_arcsec, 4)},
                {"total", number(b.total_arcsec(), 4)}};
}

Json problemJson(const Problem& p) {
    return {{"problem",
             {{"what", p.what.english()}, {"why", p.why.english()}, {"what_to_do", p.remedy.english()}}}};
}

} // namespace nordstjerna
