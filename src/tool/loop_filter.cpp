#include "tool/loop_filter.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <iostream>
#include <stdexcept>

#include "core/guide/controllers.h"
#include "core/motion/loop_replay.h"
#include "tool/analysis_json.h"

namespace nordstjerna {

namespace {

constexpr const char* loopFormat = "nordstjerna-loop 1";
constexpr double mountWindow_s = 300.0;

// What a line says and cannot be meant.
struct BadLine : std::runtime_error {
    using std::runtime_error::runtime_error;
};

double numberIn(const Json& object, const char* key, double low, double high) {
    const auto at = object.find(key);
    if (at == object.end())
        throw BadLine(std::string("\"") + key + "\" is missing.");
    if (!at->is_number() || !std::isfinite(at->get<double>()))
        throw BadLine(std::string("\"") + key + "\" must be a number.");
    const double v = at->get<double>();
    if (v < low || v > high)
        throw BadLine(std::string("\"") + key + "\" must be from " + number(low, 3).dump() + " to " +
                      number(high, 3).dump() + ".");
    return v;
}

double numberIn(const Json& object, const char* key, double low, double high, double otherwise) {
    return object.contains(key) ? numberIn(object, key, low, high) : otherwise;
}

// The keys of one axis, as in the header of a run table.
void readAxisSettings(const Json& axis, AxisSettings& to) {
    const SettingSpec& gain = settingSpec(SettingKey::gainRa);
    const SettingSpec& deadband = settingSpec(SettingKey::deadbandRa);
    const SettingSpec& smoothing = settingSpec(SettingKey::smoothingRa);
    const SettingSpec& limit = settingSpec(SettingKey::limitRa);
    if (axis.contains("kind")) {
        const auto kind =
            axis["kind"].is_string() ? controllerFrom(axis["kind"].get<std::string>()) : std::nullopt;
        if (!kind)
            throw BadLine("\"kind\" is none of the controllers there are.");
        to.kind = *kind;
    }
    to.loopGain = numberIn(axis, "loop_gain", gain.low, gain.high, to.loopGain);
    to.deadband_arcsec = numberIn(axis, "deadband_arcsec", deadband.low, deadband.high, to.deadband_arcsec);
    to.smoothing = numberIn(axis, "smoothing", smoothing.low, smoothing.high, to.smoothing);
    to.pulseLimit_ms = numberIn(axis, "pulse_limit_ms", limit.low, limit.high, to.pulseLimit_ms);
    const SettingSpec& pause = settingSpec(SettingKey::pauseRa);
    to.pause_s = numberIn(axis, "pause_s", pause.low, pause.high, to.pause_s);
}

// A value of both axes ("loop_gain": 0.5) or of each ("loop_gain": {"ra": 0.5, "dec": 0.3}).
void readBoth(const Json& line, const char* key, ControllerSettings& c) {
    if (!line.contains(key))
        return;
    const Json& value = line[key];
    const auto give = [&](const char* axis, AxisSettings& to) {
        if (!value.is_object())
            readAxisSettings(Json{{key, value}}, to);
        else if (value.contains(axis))
            readAxisSettings(Json{{key, value[axis]}}, to);
    };
    give("ra", c.ra);
    give("dec", c.dec);
}

void readController(const Json& line, ControllerSettings& c) {
    if (line.contains("controller")) {
        const Json& value = line["controller"];
        const auto give = [&](const char* axis, AxisSettings& to) {
            if (!value.is_object())
                readAxisSettings(Json{{"kind", value}}, to);
            else if (value.contains(axis))
                readAxisSettings(value[axis].is_object() ? value[axis] : Json{{"kind", value[axis]}}, to);
        };
        give("ra", c.ra);
        give("dec", c.dec);
        if (value.is_object() && value.contains("dec") && value["dec"].is_object() &&
            value["dec"].contains("mode"))
            readController(Json{{"mode", value["dec"]["mode"]}}, c);
    }
    for (const char* key : {"loop_gain", "deadband_arcsec", "smoothing", "pulse_limit_ms"})
        readBoth(line, key, c);
    if (line.contains("mode")) {
        const auto mode =
            line["mode"].is_string() ? decModeFrom(line["mode"].get<std::string>()) : std::nullopt;
        if (!mode)
            throw BadLine("\"mode\" must be both, north, south or off.");
        c.decMode = *mode;
    }
}

const char* stateName(LoopState state) {
    switch (state) {
    case LoopState::acquiring:
        return "acquiring";
    case LoopState::steady:
        return "settled";
    case LoopState::dithering:
        return "dithering";
    case LoopState::lost:
        return "lost";
    case LoopState::runningAway:
        return "stopped";
    case LoopState::settling:
    case LoopState::unsettled:
        break;
    }
    return "settling";
}

} // namespace

Json LoopFilter::begin(const Json& line) {
    if (line.value("format", "") != loopFormat)
        throw BadLine(std::string("The first line must have \"format\": \"") + loopFormat + "\".");
    if (!line.contains("rates") || !line["rates"].is_object())
        throw BadLine("\"rates\" is missing.");
    constexpr double fastest_arcsec_s = 1000.0;
    const double ra = numberIn(line["rates"], "ra_arcsec_s", -fastest_arcsec_s, fastest_arcsec_s);
    const double dec = numberIn(line["rates"], "dec_arcsec_s", -fastest_arcsec_s, fastest_arcsec_s);
    if (ra == 0.0 || dec == 0.0)
        throw BadLine("A rate cannot be 0: pulses would do nothing.");
    const SettingSpec& exposure = settingSpec(SettingKey::exposure);
    LoopSettings settings;
    const double exposure_s = numberIn(line, "exposure_s", exposure.low, exposure.high);
    readController(line, settings.controller);
    LoopPriors priors;
    priors.ra.wormPeriod_s = numberIn(line, "worm_period_s", 0.0, 7200.0, 0.0);
    priors.dec.mayHaveBacklash = true;
    const double resolution_ms = numberIn(line, "pulse_resolution_ms", 0.0, 1000.0, 1.0);
    const double declination_deg = numberIn(line, "declination_deg", -90.0, 90.0, 0.0);
    exposure_s_ = exposure_s;
    resolution_ms_ = resolution_ms;
    settings_ = settings;
    RunMeta& m = run_.meta;
    m.kind = RunKind::guided;
    m.dec_deg = declination_deg;
    m.raRate_arcsec_s = ra;
    m.decRate_arcsec_s = dec;
    m.controller = settings.controller;
    const std::array<double, 4> response{ra, 0.0, 0.0, -dec};
    m.loop = LoopRecord{exposure_s, response, ra, dec, settings.settle, priors};
    loop_.emplace(GuideGeometry(response, ra, dec), settings, priors);
    return {{"ready", true}};
}

void LoopFilter::aim(const Json& line) {
    constexpr double farthest_arcsec = 36000.0;
    if (!line.is_object())
        throw BadLine("\"aim\" must be an object with \"east\" and \"north\".");
    const SkyError by{numberIn(line, "east", -farthest_arcsec, farthest_arcsec),
                      numberIn(line, "north", -farthest_arcsec, farthest_arcsec)};
    loop_->moveAim(by, settings_.settle);
    events_.push_back(AimMove{by});
}

void LoopFilter::set(const Json& line) {
    if (!line.is_object())
        throw BadLine("\"set\" must be an object of settings.");
    static const std::vector<std::string> known{
        "exposure_s", "controller",     "loop_gain", "deadband_arcsec",
        "smoothing",  "pulse_limit_ms", "mode",      "pulse_resolution_ms"};
    for (const auto& [key, value] : line.items())
        if (std::find(known.begin(), known.end(), key) == known.end())
            throw BadLine("\"" + key + "\" is no setting of the loop.");
    ControllerSettings c = settings_.controller;
    readController(line, c);
    const SettingSpec& exposure = settingSpec(SettingKey::exposure);
    const double exposure_s = numberIn(line, "exposure_s", exposure.low, exposure.high, exposure_s_);
    resolution_ms_ = numberIn(line, "pulse_resolution_ms", 0.0, 1000.0, resolution_ms_);
    if (exposure_s != exposure_s_)
        events_.push_back(ChangedSetting{SettingKey::exposure, exposure_s});
    for (SettingKey key : settingsThatDiffer(c, settings_.controller))
        events_.push_back(ChangedSetting{key, settingValue(c, key)});
    exposure_s_ = exposure_s;
    settings_.controller = c;
    loop_->setController(c);
}

Json LoopFilter::frame(const Json& line) {
    constexpr double longest_s = 1e7;
    constexpr double farthest_arcsec = 36000.0;
    RunRow row;
    row.t_s = numberIn(line, "t", -longest_s, longest_s);
    if (!run_.rows.empty() && row.t_s <= run_.rows.back().t_s)
        throw BadLine("\"t\" does not advance: frames come in order of time.");
    const bool lost = line.contains("lost") && line["lost"].is_boolean() && line["lost"].get<bool>();
    if (lost) {
        row.dra_arcsec = row.ddec_arcsec = std::numeric_limits<double>::quiet_NaN();
        row.events.add(Happening::lost);
    } else {
        row.dra_arcsec = numberIn(line, "east", -farthest_arcsec, farthest_arcsec);
        row.ddec_arcsec = numberIn(line, "north", -farthest_arcsec, farthest_arcsec);
        row.stars = static_cast<int>(numberIn(line, "stars", 0.0, 1e6, 1.0));
        row.snr = numberIn(line, "snr", 0.0, 1e9, 0.0);
        constexpr double usual_arcsec = 0.1;
        row.centroid_arcsec = numberIn(line, "sigma", 0.0, 1e4, usual_arcsec);
    }
    if (line.contains("worm_turns"))
        row.worm_turns = numberIn(line, "worm_turns", -1e9, 1e9);
    row.worm_turns -= std::floor(row.worm_turns);
    for (const RunEvent& e : events_)
        row.events.add(e);
    events_.clear();
    row = asRecorded(row);
    LoopOutput out = loop_->step(loopInput(row, sent_, exposure_s_));
    if (resolution_ms_ > 0.0)
        for (double PulsePair::*ms : {&PulsePair::ra_ms, &PulsePair::dec_ms})
            out.pulse.*ms = resolution_ms_ * std::round(out.pulse.*ms / resolution_ms_);
    if (out.runaway)
        stopped_ = runawayProblem(*out.runaway).text();
    if (!lost && (out.state != LoopState::steady || run_.rows.empty()))
        row.events.add(out.state);
    sent_ = out.pulse;
    return answerTo(row, out);
}

Json LoopFilter::answerTo(const RunRow& row, const LoopOutput& out) {
    RunRow kept = row;
    kept.pulseRa_ms = out.pulse.ra_ms;
    kept.pulseDec_ms = out.pulse.dec_ms;
    run_.meta.wormReported = run_.rows.empty() ? std::isfinite(row.worm_turns)
                                               : run_.meta.wormReported && std::isfinite(row.worm_turns);
    run_.rows.push_back(kept);
    const AxisBelief& ra = loop_->belief(Axis::ra);
    const AxisBelief& dec = loop_->belief(Axis::dec);
    beliefs_.push_back({glimpseOf(ra), glimpseOf(dec)});
    const auto next = [](const AxisBelief& b) {
        return measured({b.next_arcsec.value, b.seenSigma_arcsec}, 3);
    };
    const auto answers = [this](Axis axis) {
        const Response r = loop_->response(axis);
        return Json{{"gain", measured(r.gain, 3)}, {"delay_s", measured(r.delay_s, 2)}};
    };
    Json answer{{"t", number(row.t_s, 3)},
                {"pulse_ra_ms", number(out.pulse.ra_ms, 1)},
                {"pulse_dec_ms", number(out.pulse.dec_ms, 1)},
                {"state", stateName(out.state)},
                {"stopped", stopped_},
                {"predicted", {{"east", next(ra)}, {"north", next(dec)}}},
                {"response", {{"ra", answers(Axis::ra)}, {"dec", answers(Axis::dec)}}}};
    if (ra.wormPeriod_s > 0.0)
        answer["worm_period_s"] = measured({ra.wormPeriod_s, ra.wormPeriodSigma_s}, 2);
    if (const auto mount = mountPartNow(recentMount_, run_.rows, beliefs_, mountWindow_s))
        answer["mount_part_arcsec"] = measured(mount->arcsec, 3);
    return answer;
}

void LoopFilter::betweenLines() {
    if (run_.rows.empty() || run_.rows.back().t_s < recentDue_s_)
        return;
    recentDue_s_ = run_.rows.back().t_s + recentEvery_s;
    recentMount_ = recentMount(latestRows(run_), mountWindow_s);
}

std::optional<Json> LoopFilter::line(const std::string& text) {
    ++number_;
    if (text.find_first_not_of(" \t\r") == std::string::npos)
        return std::nullopt;
    const auto wrong = [this](const std::string& why) {
        Json p = problemJson({Text::say("Line %1 cannot be used.").arg(number_), why,
                              loop_ ? Text::say("Correct it; the loop goes on with the next line.")
                                    : Text::say("Begin with the set-up of the loop.")});
        p["problem"]["line"] = number_;
        return p;
    };
    constexpr size_t longest = 1UL << 20;
    if (text.size() > longest)
        return wrong("It is longer than a million characters.");
    const Json read = Json::parse(text, nullptr, false);
    if (!read.is_object())
        return wrong("It is no JSON object.");
    try {
        if (!loop_)
            return begin(read);
        if (!read.contains("t") && !read.contains("aim") && !read.contains("set"))
            return wrong("It has none of \"t\", \"aim\" and \"set\".");
        if (read.contains("set"))
            set(read["set"]);
        if (read.contains("aim"))
            aim(read["aim"]);
        return read.contains("t") ? std::optional(frame(read)) : std::nullopt;
    } catch (const BadLine& e) {
        return wrong(e.what());
    } catch (const Json::exception& e) {
        return wrong(e.what());
    }
}

Json LoopFilter::summary() const {
    Json result{{"frames", run_.rows.size()}};
    if (const auto story = tellRun(run_, {}))
        result.update(analysisJson(run_, *story));
    else
        result.update(problemJson(story.error()));
    return {{"summary", result}};
}

int runLoopFilter() {
    LoopFilter filter;
    std::string text;
    while (std::getline(std::cin, text)) {
        if (const auto answer = filter.line(text)) {
            std::cout << answer->dump(-1, ' ', false, Json::error_handler_t::replace) << std::endl;
            if (!std::cout)
                return 1;
        }
        filter.betweenLines();
    }
    std::cout << filter.summary().dump(-1, ' ', false, Json::error_handler_t::replace) << std::endl;
    return std::cout ? 0 : 1;
}

} // namespace nordstjerna
