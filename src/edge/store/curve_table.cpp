#include "edge/store/curve_table.h"

#include <cmath>

#include "edge/store/append_file.h"
#include "edge/store/ecsv.h"

namespace nordstjerna {

namespace {

constexpr const char* curveFormat = "nordstjerna-curve 1";
constexpr double longestTurn_s = 7200.0;

} // namespace

Expected<void> writeCurve(const std::filesystem::path& path, const CorrectionCurve& c) {
    static const std::vector<EcsvColumn> columns{{"phase", "", "float64"},
                                                 {"error", "arcsec", "float64"},
                                                 {"sigma", "arcsec", "float64"},
                                                 {"rate", "arcsec / s", "float64"}};
    std::string text = ecsvHeader(
        columns, {std::string("format: ") + curveFormat, "worm_period_s: " + ecsvNumber(c.wormPeriod_s, 6),
                  std::string("phase_of: ") + (c.byMount ? "mount" : "start"),
                  "start_utc: '" + formatInstant(c.start) + "'",
                  "error: axis in hour angle, positive where the mount runs ahead (west)"});
    for (size_t i = 0; i < c.error_arcsec.size(); ++i)
        text += ecsvNumber(c.phase(i), 6) + " " + ecsvNumber(c.error_arcsec[i], 6) + " " +
                ecsvNumber(c.sigma_arcsec[i], 6) + " " + ecsvNumber(c.rate_arcsec_s[i], 6) + "\n";
    return writeWhole(path, text, false);
}

Expected<CorrectionCurve> readCurve(const std::filesystem::path& path) {
    const auto table = readEcsv(path);
    if (!table)
        return tl::unexpected(table.error());
    CorrectionCurve c;
    try {
        const YAML::Node& meta = table->meta;
        if (!meta["format"] || meta["format"].as<std::string>() != curveFormat)
            return problem(Text::say("%1 is no periodic-error curve.").arg(path.string()),
                           Text::say("Its header does not say \"format: %1\".").arg(curveFormat),
                           Text::say("Choose a curve that was exported here."));
        c.wormPeriod_s = meta["worm_period_s"] ? meta["worm_period_s"].as<double>() : 0.0;
        c.byMount = meta["phase_of"] && meta["phase_of"].as<std::string>() == "mount";
        if (meta["start_utc"])
            if (const auto start = parseInstant(meta["start_utc"].as<std::string>()))
                c.start = *start;
    } catch (const YAML::Exception& e) {
        return problem(Text::say("The header of %1 cannot be understood.").arg(path.string()),
                       std::string(e.what()) + ".", Text::say("Correct the header."));
    }
    if (!(c.wormPeriod_s > 1.0) || c.wormPeriod_s > longestTurn_s)
        return problem(Text::say("The curve does not state a worm period."),
                       Text::say("worm_period_s is missing or not between 1 and 7200 s."),
                       Text::say("Correct the header."));
    const auto phase = ecsvNumbers(*table, "phase", "");
    const auto error = ecsvNumbers(*table, "error", "arcsec");
    const auto rate = ecsvNumbers(*table, "rate", "arcsec / s");
    for (const auto* column : {&phase, &error, &rate})
        if (!*column)
            return tl::unexpected(column->error());
    c.error_arcsec = *error;
    c.rate_arcsec_s = *rate;
    c.sigma_arcsec.assign(error->size(), 0.0);
    if (table->find("sigma") >= 0) {
        const auto sigma = ecsvNumbers(*table, "sigma", "arcsec");
        if (!sigma)
            return tl::unexpected(sigma.error());
        c.sigma_arcsec = *sigma;
    }
    if (c.error_arcsec.size() < 8)
        return problem(Text::say("The curve has only %1 steps.").arg(c.error_arcsec.size()),
                       Text::say("A turn of the worm needs at least 8."), Text::say("Use a complete curve."));
    for (size_t i = 0; i < c.error_arcsec.size(); ++i)
        if (!(std::abs((*phase)[i] - c.phase(i)) < 1e-3) || !std::isfinite(c.error_arcsec[i]) ||
            !std::isfinite(c.rate_arcsec_s[i]))
            return problem(Text::say("Row %1 of the curve is out of step.").arg(i + 1),
                           Text::say("Phases must run from 0 to 1 in equal steps, each at its middle, with "
                                     "numbers in all columns."),
                           Text::say("Correct the table."));
    return c;
}

} // namespace nordstjerna
