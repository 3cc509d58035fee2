#include "edge/store/run_columns.h"

namespace nordstjerna {

namespace {
constexpr ColumnSpec columnSpecs[] = {
    {"t", "s", "float64", 3, true, &RunRow::t_s},
    {"dra", "arcsec", "float64", 4, true, &RunRow::dra_arcsec},
    {"ddec", "arcsec", "float64", 4, true, &RunRow::ddec_arcsec},
    {"pulse_ra", "ms", "float64", 1, false, &RunRow::pulseRa_ms},
    {"pulse_dec", "ms", "float64", 1, false, &RunRow::pulseDec_ms},
    {"snr", "", "float64", 2, false, &RunRow::snr},
    {"hfd", "pix", "float64", 3, false, &RunRow::hfd_px},
    {"flux", "adu", "float64", 1, false, &RunRow::flux_adu},
    {"stars", "", "int64", 0, false, &RunRow::stars},
    {"event", "", "string", 0, false, &RunRow::events},
    {"centroid", "arcsec", "float64", 4, false, &RunRow::centroid_arcsec},
    {"worm_turns", "", "float64", 6, false, &RunRow::worm_turns},
};
} // namespace

std::span<const ColumnSpec> runColumns() {
    return columnSpecs;
}

bool ColumnSpec::isWorm() const {
    const auto* of = std::get_if<double RunRow::*>(&field);
    return of && *of == &RunRow::worm_turns;
}

double ColumnSpec::number(const RunRow& row) const {
    if (const auto* whole = std::get_if<int RunRow::*>(&field))
        return row.*(*whole);
    return row.*std::get<double RunRow::*>(field);
}

void ColumnSpec::setNumber(RunRow& row, double value) const {
    row.*std::get<double RunRow::*>(field) = value;
}

std::string ColumnSpec::fitsUnit() const {
    return std::string(unit) == "pix" ? "pixel" : unit;
}

} // namespace nordstjerna
