#include "core/review/compare.h"

#include <cmath>

#include "edge/store/run_table.h"
#include "tool/tool_commands.h"

namespace nordstjerna {

namespace {

Json sideJson(const RunSide& s) {
    return {{"mount_part_arcsec", measured(s.mountPart_arcsec, 4)},
            {"air_arcsec", measured(s.air_arcsec, 4)},
            {"total_arcsec", number(s.total_arcsec.value, 4)},
            {"span_s", number(s.span_s, 1)}};
}

// Of both axes together.
double bandOf(const RunSide& s, size_t band) {
    return std::hypot(s.ra.rms_arcsec[band].value, s.dec.rms_arcsec[band].value);
}

} // namespace

Expected<Json> commandCompare(const std::filesystem::path& a, const std::filesystem::path& b) {
    const auto first = readRunTable(a);
    if (!first)
        return tl::unexpected(first.error());
    const auto second = readRunTable(b);
    if (!second)
        return tl::unexpected(second.error());
    const auto c = compareRuns(*first, *second);
    if (!c)
        return tl::unexpected(c.error());
    Json bands = Json::array();
    for (size_t i = 0; i < bandCount; ++i) {
        Json band{{"from_s", i > 0 ? bandEdges_s[i - 1] : 0.0},
                  {"a", number(bandOf(c->first, i), 4)},
                  {"b", number(bandOf(c->second, i), 4)}};
        band["to_s"] =
            number(i < bandEdges_s.size() ? bandEdges_s[i] : std::max(c->first.span_s, c->second.span_s), 1);
        bands.push_back(band);
    }
    return Json{{"a", sideJson(c->first)},
                {"b", sideJson(c->second)},
                {"difference", measured(c->mountPart, 4)},
                {"verdict", verdictName(c->verdict)},
                {"bands", bands},
                {"words", c->words.english()}};
}

} // namespace nordstjerna
