#include "core/review/entry.h"

#include <algorithm>
#include <array>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
struct KindNames {
    EntryKind kind;
    const char* id;
    const char* word;
    const char* head; // figure
};
constexpr std::array<KindNames, entryKinds> entryKindNames{{
    {EntryKind::freeRun, "free", Text::mark("free run"), "worm_peak_to_peak_arcsec"},
    {EntryKind::guidedRun, "guided", Text::mark("guiding"), "total_rms_arcsec"},
    {EntryKind::backlashTest, "backlash", Text::mark("backlash test"), "dec_backlash_arcsec"},
    {EntryKind::rates, "rates", Text::mark("rates"), "ra_rate_px_s"},
    {EntryKind::pole, "pole", Text::mark("pole"), "pole_total_arcmin"},
    {EntryKind::curve, "curve", Text::mark("correction curve"), "curve_peak_to_peak_arcsec"},
    {EntryKind::series, "series", Text::mark("series"), "fwhm_arcsec"},
    {EntryKind::trial, "trial", Text::mark("trial"), "trial_difference"},
    {EntryKind::focus, "focus", Text::mark("focus run"), "focus_hfd_px"},
    {EntryKind::rehearsal, "rehearsal", Text::mark("rehearsal"), "places_rehearsed"},
    {EntryKind::gears, "gears", Text::mark("gear check"), "ra_west_over_east"},
}};

const KindNames& namesOf(EntryKind kind) {
    return entryKindNames[static_cast<size_t>(kind)];
}

struct NamedLook {
    const char* name;
    const char* title;
    const char* unit;
    int decimals;
};
constexpr NamedLook figureLooks[] = {
    {"total_rms_arcsec", Text::mark("total RMS"), "″", 2},
    {"ra_rms_arcsec", Text::mark("RA RMS"), "″", 2},
    {"dec_rms_arcsec", Text::mark("Dec RMS"), "″", 2},
    {"mount_part_arcsec", Text::mark("mount part"), "″", 2},
    {"air_arcsec", Text::mark("seeing"), "″", 2},
    {"bound_arcsec", Text::mark("least possible"), "″", 2},
    {"rows", Text::mark("rows"), "", 0},
    {"span_s", Text::mark("length"), " s", 0},
    {"ra_drift_arcsec_min", Text::mark("RA drift"), " ″/min", 2},
    {"dec_drift_arcsec_min", Text::mark("Dec drift"), " ″/min", 2},
    {"worm_peak_to_peak_arcsec", Text::mark("periodic error"), "″", 1},
    {"worm_period_s", Text::mark("worm period"), " s", 1},
    {"worm_1_arcsec", Text::mark("worm, 1st harmonic"), "″", 2},
    {"worm_2_arcsec", Text::mark("worm, 2nd harmonic"), "″", 2},
    {"worm_3_arcsec", Text::mark("worm, 3rd harmonic"), "″", 2},
    {"worm_1_phase_deg", Text::mark("phase of the 1st harmonic"), "°", 0},
    {"dec_backlash_arcsec", Text::mark("Dec backlash"), "″", 2},
    {"dec_backlash_ms", Text::mark("Dec backlash"), " ms", 0},
    {"ra_rate_px_s", Text::mark("RA rate"), " px/s", 3},
    {"dec_rate_px_s", Text::mark("Dec rate"), " px/s", 3},
    {"ra_angle_deg", Text::mark("RA angle"), "°", 1},
    {"dec_angle_deg", Text::mark("Dec angle"), "°", 1},
    {"orthogonality_deg", Text::mark("off the right angle"), "°", 1},
    {"pole_east_arcmin", Text::mark("axis to the east"), "′", 2},
    {"pole_high_arcmin", Text::mark("axis too high"), "′", 2},
    {"pole_total_arcmin", Text::mark("pole error"), "′", 2},
    {"pole_component_arcmin", Text::mark("pole error, one component"), "′", 2},
    {"curve_peak_to_peak_arcsec", Text::mark("curve"), "″", 1},
    {"frames", Text::mark("frames"), "", 0},
    {"fwhm_arcsec", Text::mark("FWHM"), "″", 2},
    {"elongation", Text::mark("elongation"), "", 3},
    {"creep_arcsec_min", Text::mark("flexure"), " ″/min", 2},
    {"settle_s", Text::mark("settling"), " s", 0},
    {"trial_difference", Text::mark("difference"), " %", 1},
    {"focus_hfd_px", Text::mark("HFD in focus"), " px", 2},
    {"places_rehearsed", Text::mark("places rehearsed"), "", 0},
    {"ra_west_over_east", Text::mark("RA, west less east"), "", 3},
    {"dec_north_over_south", Text::mark("Dec, north less south"), "", 3},
    {"focus_best_steps", Text::mark("best focus"), " steps", 0},
    {"focus_backlash_steps", Text::mark("focuser's backlash"), " steps", 0},
    {"focus_temperature_c", Text::mark("temperature"), " °C", 1},
};
} // namespace

const char* entryKindId(EntryKind kind) {
    return namesOf(kind).id;
}
const char* entryKindWord(EntryKind kind) {
    return namesOf(kind).word;
}
bool isRun(EntryKind kind) {
    return kind == EntryKind::freeRun || kind == EntryKind::guidedRun || kind == EntryKind::backlashTest;
}
std::optional<EntryKind> entryKindWith(const std::string& id) {
    for (const KindNames& k : entryKindNames)
        if (id == k.id)
            return k.kind;
    return std::nullopt;
}

std::optional<Measured> LogEntry::figure(const std::string& name) const {
    const auto found =
        std::find_if(figures.begin(), figures.end(), [&](const Figure& f) { return f.name == name; });
    return found == figures.end() ? std::nullopt : std::optional(found->value);
}

FigureLook figureLook(const std::string& name) {
    for (const NamedLook& l : figureLooks)
        if (name == l.name)
            return {Text::say(l.title), l.unit, l.decimals};
    return {name, "", 3};
}

std::string figureText(const Figure& f) {
    const FigureLook look = figureLook(f.name);
    if (f.name == "span_s")
        return formatDuration(f.value.value);
    if (f.value.sigma > 0.0)
        return formatMeasured(f.value, look.unit, look.decimals);
    return formatNumber(f.value.value, look.decimals) + look.unit;
}

std::optional<Figure> headFigure(const LogEntry& entry) {
    const char* name = namesOf(entry.kind).head;
    if (const auto value = entry.figure(name))
        return Figure{name, *value};
    // A free run too short for its worm still has its drift; drift and trail show one component of the axis.
    for (const char* next : {"dec_drift_arcsec_min", "pole_component_arcmin"})
        if (const auto value = entry.figure(next))
            return Figure{next, *value};
    return std::nullopt;
}

} // namespace nordstjerna
