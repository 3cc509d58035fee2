#include "edge/store/run_table.h"

#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "core/base/statistics.h"
#include "core/guide/controllers.h"
#include "core/motion/run_event_words.h"
#include "core/rig/scales.h"
#include "core/sky/sides.h"
#include "edge/store/ecsv.h"
#include "edge/store/run_columns.h"

namespace nordstjerna {

namespace {

std::string axisYaml(const AxisSettings& a, const std::string& more) {
    return std::string("{kind: ") + controllerOf(a.kind).id + ", loop_gain: " + ecsvNumber(a.loopGain, 3) +
           ", deadband_arcsec: " + ecsvNumber(a.deadband_arcsec, 3) +
           ", smoothing: " + ecsvNumber(a.smoothing, 3) +
           ", pulse_limit_ms: " + ecsvNumber(a.pulseLimit_ms, 0) +
           (a.pause_s > 0.0 ? ", pause_s: " + ecsvNumber(a.pause_s, 1) : "") + more + "}";
}

std::string listOf(std::initializer_list<double> values) {
    std::string text;
    for (double v : values)
        text += (text.empty() ? "[" : ", ") + exactText(v);
    return text + "]";
}

std::string priorYaml(const AxisPrior& p) {
    std::string text = "{worm_period_s: " + exactText(p.wormPeriod_s) +
                       ", may_have_play: " + (p.mayHaveBacklash ? "true" : "false");
    if (p.backlash_arcsec)
        text += ", gap_arcsec: " + listOf({p.backlash_arcsec->value, p.backlash_arcsec->sigma});
    if (p.worm) {
        std::string worm;
        for (const Measured& c : p.worm->coefficient)
            worm += (worm.empty() ? "" : ", ") + listOf({c.value, c.sigma});
        text += ", worm_arcsec: [" + worm + "]";
    }
    return text + "}";
}

// Every figure whole, so that a replay starts from the same numbers.
std::vector<std::string> loopLines(const LoopRecord& l) {
    return {"loop:",
            "  exposure_s: " + exactText(l.exposure_s),
            "  response_arcsec_s: " + listOf({l.response[0], l.response[1], l.response[2], l.response[3]}),
            "  reach_arcsec_s: " + listOf({l.raReach_arcsec_s, l.decReach_arcsec_s}),
            "  settle: " + listOf({l.settle.within_arcsec, l.settle.for_s, l.settle.timeout_s}),
            "  ra: " + priorYaml(l.priors.ra),
            "  dec: " + priorYaml(l.priors.dec)};
}

std::vector<std::string> metaLines(const RunMeta& m) {
    std::vector<std::string> lines{
        "format: nordstjerna-run 1",
        "start_utc: '" + formatInstant(m.start) + "'",
        std::string("kind: ") + runKindName(m.kind),
        "rig: {guide_pixel_um: " + ecsvNumber(m.guidePixel_um, 3) + ", guide_focal_mm: " +
            ecsvNumber(m.guideFocal_mm, 3) + ", guide_bin: " + std::to_string(m.guideBin) +
            ", image_pixel_um: " + ecsvNumber(m.imagePixel_um, 3) + ", image_focal_mm: " +
            ecsvNumber(m.imageFocal_mm, 3) + ", image_bin: " + std::to_string(m.imageBin) + "}",
        "scales: {guide_arcsec_px: " + ecsvNumber(m.guideScale_arcsec_px, 5) +
            ", image_arcsec_px: " + ecsvNumber(m.imageScale_arcsec_px, 5) + "}",
        "rates: {ra_arcsec_s: " + ecsvNumber(m.raRate_arcsec_s, 5) +
            ", dec_arcsec_s: " + ecsvNumber(m.decRate_arcsec_s, 5) +
            ", guide_rate_sidereal: " + ecsvNumber(m.guideRate_sidereal, 4) + "}",
        "pointing: {ra: " + ecsvNumber(m.ra_deg, 6) + ", dec: " + ecsvNumber(m.dec_deg, 6) +
            ", hour_angle: " + ecsvNumber(m.hourAngle_h, 5) +
            ", side: " + (m.side.empty() ? "unknown" : m.side) +
            (m.side.empty() ? "" : ", pier_side: " + pierSideOf(m.side)) + "}",
    };
    if (m.controller) {
        lines.push_back("controller:");
        lines.push_back("  ra: " + axisYaml(m.controller->ra, ""));
        lines.push_back("  dec: " + axisYaml(m.controller->dec,
                                             std::string(", mode: ") + decModeName(m.controller->decMode)));
    }
    if (m.loop)
        for (const std::string& line : loopLines(*m.loop))
            lines.push_back(line);
    if (m.correctionOn)
        lines.push_back("correction: true");
    for (const auto& [key, value] : m.more)
        lines.push_back(key + ": " + value);
    return lines;
}

template <typename T>
T get(const YAML::Node& node, const char* key, T fallback) {
    if (!node || !node.IsMap() || !node[key])
        return fallback;
    return node[key].as<T>();
}

Measured readMeasured(const YAML::Node& n) {
    return {n[0].as<double>(), n[1].as<double>()};
}

AxisPrior readPrior(const YAML::Node& n) {
    AxisPrior p;
    p.wormPeriod_s = get(n, "worm_period_s", 0.0);
    p.mayHaveBacklash = get(n, "may_have_play", false);
    if (n["gap_arcsec"])
        p.backlash_arcsec = readMeasured(n["gap_arcsec"]);
    if (n["worm_arcsec"]) {
        p.worm.emplace();
        for (const YAML::Node& c : n["worm_arcsec"])
            p.worm->coefficient.push_back(readMeasured(c));
    }
    return p;
}

LoopRecord readLoop(const YAML::Node& n) {
    LoopRecord l;
    l.exposure_s = n["exposure_s"].as<double>();
    for (std::size_t i = 0; i < l.response.size(); ++i)
        l.response[i] = n["response_arcsec_s"][i].as<double>();
    l.raReach_arcsec_s = n["reach_arcsec_s"][0].as<double>();
    l.decReach_arcsec_s = n["reach_arcsec_s"][1].as<double>();
    l.settle = {n["settle"][0].as<double>(), n["settle"][1].as<double>(), n["settle"][2].as<double>()};
    l.priors.ra = readPrior(n["ra"]);
    l.priors.dec = readPrior(n["dec"]);
    const double square = l.response[0] * l.response[3] - l.response[1] * l.response[2];
    if (!(l.exposure_s > 0.0 && l.exposure_s < 86400.0) || !std::isfinite(square) || square == 0.0 ||
        !std::isfinite(l.raReach_arcsec_s) || !std::isfinite(l.decReach_arcsec_s))
        throw YAML::Exception(YAML::Mark::null_mark(), "\"loop\" states an exposure or rates that cannot be");
    return l;
}

// A kind that a newer program wrote is not guessed at.
ControllerKind readKind(const YAML::Node& n) {
    const auto name = get<std::string>(n, "kind", "proportional");
    if (const auto kind = controllerFrom(name))
        return *kind;
    throw YAML::Exception(YAML::Mark::null_mark(), "controller of unknown kind \"" + name + "\"");
}

AxisSettings readAxis(const YAML::Node& n) {
    AxisSettings a;
    a.kind = readKind(n);
    a.loopGain = get(n, "loop_gain", a.loopGain);
    a.deadband_arcsec = get(n, "deadband_arcsec", a.deadband_arcsec);
    a.smoothing = get(n, "smoothing", a.smoothing);
    a.pulseLimit_ms = get(n, "pulse_limit_ms", a.pulseLimit_ms);
    a.pause_s = get(n, "pause_s", a.pause_s);
    return a;
}

Expected<RunMeta> readMeta(const EcsvTable& table, const std::filesystem::path& path) {
    RunMeta m;
    try {
        const YAML::Node& meta = table.meta;
        const auto part = [&](const char* key) {
            return meta[key] ? meta[key] : YAML::Node(YAML::NodeType::Map);
        };
        const auto version = get<std::string>(meta, "format", "nordstjerna-run 1");
        if (version != "nordstjerna-run 1")
            return problem(Text::say("%1 is of format \"%2\".").arg(path.string()).arg(version),
                           Text::say("This program reads nordstjerna-run 1."),
                           Text::say("Use a newer program."));
        if (meta["start_utc"]) {
            const auto start = parseInstant(meta["start_utc"].as<std::string>());
            if (!start)
                return tl::unexpected(start.error());
            m.start = *start;
        }
        if (meta["kind"]) {
            const auto kind = runKindFrom(meta["kind"].as<std::string>());
            if (!kind)
                return problem(
                    Text::say("The run is of an unknown kind: %1.").arg(meta["kind"].as<std::string>()),
                    Text::say("Kinds are free, guided, backlash and calibration."),
                    Text::say("Correct the header."));
            m.kind = *kind;
        }
        const YAML::Node rig = part("rig");
        m.guidePixel_um = get(rig, "guide_pixel_um", 0.0);
        m.guideFocal_mm = get(rig, "guide_focal_mm", 0.0);
        m.guideBin = get(rig, "guide_bin", 1);
        m.imagePixel_um = get(rig, "image_pixel_um", 0.0);
        m.imageFocal_mm = get(rig, "image_focal_mm", 0.0);
        m.imageBin = get(rig, "image_bin", 1);
        const YAML::Node scales = part("scales");
        m.guideScale_arcsec_px = get(scales, "guide_arcsec_px", 0.0);
        m.imageScale_arcsec_px = get(scales, "image_arcsec_px", 0.0);
        if (m.guideScale_arcsec_px <= 0.0 && m.guidePixel_um > 0.0 && m.guideFocal_mm > 0.0)
            m.guideScale_arcsec_px = scaleArcsecPx(m.guidePixel_um, m.guideFocal_mm, m.guideBin);
        if (m.imageScale_arcsec_px <= 0.0 && m.imagePixel_um > 0.0 && m.imageFocal_mm > 0.0)
            m.imageScale_arcsec_px = scaleArcsecPx(m.imagePixel_um, m.imageFocal_mm, m.imageBin);
        const YAML::Node calibration = part("rates");
        m.raRate_arcsec_s = get(calibration, "ra_arcsec_s", 0.0);
        m.decRate_arcsec_s = get(calibration, "dec_arcsec_s", 0.0);
        m.guideRate_sidereal = get(calibration, "guide_rate_sidereal", 0.0);
        const YAML::Node pointing = part("pointing");
        m.ra_deg = get(pointing, "ra", 0.0);
        m.dec_deg = get(pointing, "dec", 0.0);
        m.hourAngle_h = get(pointing, "hour_angle", 0.0);
        m.side = get<std::string>(pointing, "side", "");
        if (meta["controller"]) {
            const YAML::Node controller = meta["controller"];
            ControllerSettings c;
            c.ra = readAxis(controller["ra"]);
            c.dec = readAxis(controller["dec"]);
            c.decMode =
                decModeFrom(get<std::string>(controller["dec"], "mode", "both")).value_or(DecMode::both);
            m.controller = c;
        }
        if (meta["loop"])
            m.loop = readLoop(meta["loop"]);
        m.correctionOn = get(meta, "correction", false);
        for (const auto& entry : meta) {
            const auto key = entry.first.as<std::string>();
            static const std::vector<std::string> known{"format",     "start_utc", "kind",     "rig",
                                                        "scales",     "rates",     "pointing", "controller",
                                                        "correction", "loop"};
            if (std::find(known.begin(), known.end(), key) != known.end())
                continue;
            YAML::Emitter out;
            out.SetSeqFormat(YAML::Flow);
            out.SetMapFormat(YAML::Flow);
            out << entry.second;
            m.more[key] = out.c_str();
        }
    } catch (const YAML::Exception& e) {
        return problem(Text::say("The header of %1 cannot be understood.").arg(path.string()),
                       std::string(e.what()) + ".", Text::say("Correct the header."));
    }
    return m;
}

} // namespace

namespace {
// A computer's clock that was set back while the run was recorded leaves its rows in the order of time and
// their times not: from there on they are brought forward, and the row tells. Returns 0, or the first row
// (from 1) of a table that is rather out of order.
size_t mendClockSteps(Run& run) {
    std::vector<RunRow>& rows = run.rows;
    std::vector<double> intervals;
    std::vector<size_t> back;
    for (size_t i = 1; i < rows.size(); ++i)
        if (const double dt = rows[i].t_s - rows[i - 1].t_s; dt > 0.0)
            intervals.push_back(dt);
        else
            back.push_back(i);
    if (back.empty())
        return 0;
    constexpr size_t most = 3; // in a run of a night
    if (back.size() > most || intervals.size() < 2 * back.size())
        return back.front() + 1;
    const double usual = median(intervals);
    double added = 0.0;
    auto next = back.begin();
    for (size_t i = 1; i < rows.size(); ++i) {
        if (next != back.end() && *next == i) {
            ++next;
            const double by = rows[i - 1].t_s + usual - (rows[i].t_s + added);
            added += by;
            rows[i].events.add(ClockSet{-by});
        }
        rows[i].t_s += added;
    }
    return 0;
}
} // namespace

Expected<Run> readRunTable(const std::filesystem::path& path) {
    const auto table = readEcsv(path);
    if (!table)
        return tl::unexpected(table.error());
    Run run;
    auto meta = readMeta(*table, path);
    if (!meta)
        return tl::unexpected(meta.error());
    run.meta = std::move(*meta);
    run.rows.resize(table->rows.size());

    for (const ColumnSpec& column : runColumns()) {
        const int at = table->find(column.name);
        if (at < 0 && !column.needed)
            continue;
        if (std::holds_alternative<double RunRow::*>(column.field)) {
            const auto values = ecsvNumbers(*table, column.name, column.unit);
            if (!values)
                return tl::unexpected(values.error());
            for (size_t i = 0; i < values->size(); ++i)
                column.setNumber(run.rows[i], (*values)[i]);
            run.meta.wormReported = run.meta.wormReported || column.isWorm();
            continue;
        }
        for (size_t i = 0; i < run.rows.size(); ++i) {
            const std::string& cell = table->rows[i][static_cast<size_t>(at)];
            if (const auto* whole = std::get_if<int RunRow::*>(&column.field))
                run.rows[i].*(*whole) = std::atoi(cell.c_str());
            else
                run.rows[i].events = eventsFrom(cell);
        }
    }
    for (size_t i = 0; i < run.rows.size(); ++i)
        if (!std::isfinite(run.rows[i].t_s))
            return problem(Text::say("Row %1 of %2 has no time.").arg(i + 1).arg(path.string()),
                           Text::say("Column t must be a number in every row."),
                           Text::say("Correct or drop the row."));
    if (const size_t unordered = mendClockSteps(run))
        return problem(Text::say("Time does not advance in row %1 of %2.").arg(unordered).arg(path.string()),
                       Text::say("Rows must be in order of time; a clock that was set back once or twice "
                                 "would be recognised."),
                       Text::say("Sort the table."));
    for (size_t c = 0; c < table->columns.size(); ++c) {
        const EcsvColumn& column = table->columns[c];
        const auto ours = runColumns();
        const bool known =
            std::any_of(ours.begin(), ours.end(), [&](const ColumnSpec& k) { return k.name == column.name; });
        if (known)
            continue;
        run.meta.moreColumns.push_back({column.name, column.unit, column.datatype});
        for (size_t i = 0; i < run.rows.size(); ++i)
            run.rows[i].more.push_back(table->rows[i][c]);
    }
    return run;
}

namespace {

std::string headerOf(const RunMeta& meta) {
    std::vector<EcsvColumn> columns;
    for (const ColumnSpec& c : runColumns())
        if (!c.isWorm() || meta.wormReported)
            columns.push_back({c.name, c.unit, c.datatype});
    for (const MoreColumn& more : meta.moreColumns)
        columns.push_back({more.name, more.unit, more.datatype});
    return ecsvHeader(columns, metaLines(meta));
}

std::string lineOf(const RunRow& r, bool worm) {
    std::string line;
    for (const ColumnSpec& c : runColumns()) {
        if (c.isWorm() && !worm)
            continue;
        if (!line.empty())
            line += " ";
        line += c.isText() ? ecsvText(eventWords(r.events)) : ecsvNumber(c.number(r), c.decimals);
    }
    for (const std::string& cell : r.more)
        line += " " + ecsvText(cell);
    return line + "\n";
}

} // namespace

Expected<RunWriter> RunWriter::create(const std::filesystem::path& path, const RunMeta& meta) {
    auto file = AppendFile::create(path);
    if (!file)
        return tl::unexpected(file.error());
    if (const auto done = file->append(headerOf(meta)); !done) {
        // Nobody may take an empty file for a run, or keep the next one from its name.
        std::error_code error;
        std::filesystem::remove(path, error);
        return tl::unexpected(done.error());
    }
    return RunWriter(std::move(*file), meta.wormReported);
}

Expected<void> RunWriter::append(const RunRow& r) {
    return file_.append(lineOf(r, worm_));
}

Expected<void> writeRunTable(const std::filesystem::path& path, const Run& run) {
    std::string text = headerOf(run.meta);
    for (const RunRow& row : run.rows)
        text += lineOf(row, run.meta.wormReported);
    return writeWhole(path, text, false);
}

Expected<CalibrationSetup> CalibrationTable::setup() const {
    if (meta.guideScale_arcsec_px <= 0.0)
        return problem(
            Text::say("The table does not state the guide scale."),
            Text::say("Neither scales.guide_arcsec_px nor guide pixel and focal length are in its header."),
            Text::say("Add them to the header."));
    CalibrationSetup s;
    s.scale_arcsec_px = meta.guideScale_arcsec_px;
    if (meta.guideRate_sidereal > 0.0)
        s.guideRateRa = s.guideRateDec = meta.guideRate_sidereal;
    s.dec = Angle::fromDeg(meta.dec_deg);
    s.hourAngle_h = meta.hourAngle_h;
    s.side = meta.side;
    s.bin = meta.guideBin;
    return s;
}

Expected<CalibrationTable> readCalibrationTable(const std::filesystem::path& path) {
    const auto table = readEcsv(path);
    if (!table)
        return tl::unexpected(table.error());
    CalibrationTable result;
    auto meta = readMeta(*table, path);
    if (!meta)
        return tl::unexpected(meta.error());
    result.meta = std::move(*meta);
    const auto t = ecsvNumbers(*table, "t", "s");
    const auto x = ecsvNumbers(*table, "x", "pix");
    const auto y = ecsvNumbers(*table, "y", "pix");
    const auto pulse = ecsvNumbers(*table, "pulse", "ms");
    for (const auto* c : {&t, &x, &y, &pulse})
        if (!*c)
            return tl::unexpected(c->error());
    const int leg = table->find("leg");
    if (leg < 0)
        return problem(Text::say("The table has no column \"leg\"."),
                       Text::say("It names the direction of each pulse."),
                       Text::say("Add the column with west, east, north or south."));
    for (size_t i = 0; i < table->rows.size(); ++i) {
        const std::string& name = table->rows[i][static_cast<size_t>(leg)];
        CalibrationSample s{(*t)[i], (*x)[i], (*y)[i], Leg::west, (*pulse)[i]};
        bool found = false;
        for (Leg l : {Leg::west, Leg::east, Leg::north, Leg::south})
            if (name == legName(l))
                s.leg = l, found = true;
        if (!found)
            return problem(Text::say("Row %1 has the unknown leg \"%2\".").arg(i + 1).arg(name),
                           Text::say("Legs are west, east, north and south."),
                           Text::say("Correct the table."));
        result.samples.push_back(s);
    }
    return result;
}

Expected<void> writeCalibrationTable(const std::filesystem::path& path, const CalibrationTable& table) {
    static const std::vector<EcsvColumn> columns{{"t", "s", "float64"},
                                                 {"x", "pix", "float64"},
                                                 {"y", "pix", "float64"},
                                                 {"leg", "", "string"},
                                                 {"pulse", "ms", "float64"}};
    std::string text = ecsvHeader(columns, metaLines(table.meta));
    for (const CalibrationSample& c : table.samples)
        text += ecsvNumber(c.t_s, 3) + " " + ecsvNumber(c.x, 4) + " " + ecsvNumber(c.y, 4) + " " +
                legName(c.leg) + " " + ecsvNumber(c.pulse_ms, 1) + "\n";
    return writeWhole(path, text, false);
}

} // namespace nordstjerna
