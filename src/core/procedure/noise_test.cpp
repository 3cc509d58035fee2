#include "core/procedure/noise_test.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/image/darks.h"
#include "core/image/guide_star_choice.h"
#include "core/image/star_match.h"

namespace nordstjerna {

namespace {
constexpr double shortestLight_s = 0.1;
constexpr double longLight_s = 5.0;
constexpr double noiseReadOut_s = 0.3;
constexpr size_t framesOfLight = 4; // two pairs
constexpr double sameStar_px = 3.0;
constexpr int mostFramesLost = 5;
constexpr int mostNoiseStars = 12;
constexpr double faintestOfNoise = 12.0; // SNR
} // namespace

// The present gain and two others, spread over the lower two thirds of the range: at its end nearly all
// stars are too bright.
void NoiseTest::planGains(const GainState& state) {
    const double span = state.highest - state.lowest;
    std::vector<double> gains{state.lowest, std::round(state.lowest + span / 3.0),
                              std::round(state.lowest + 2.0 * span / 3.0)};
    *std::min_element(gains.begin(), gains.end(), [&](double a, double b) {
        return std::abs(a - state.setting) < std::abs(b - state.setting);
    }) = state.setting;
    std::sort(gains.begin(), gains.end());
    gains.erase(std::unique(gains.begin(), gains.end()), gains.end());
    for (const double g : gains) {
        NoiseAt at;
        at.setting = g;
        at.exposure_s = setup_.exposure_s;
        results_.push_back(at);
    }
}

Step NoiseTest::putBack(Step then) {
    if (phase_ == Phase::restore || !ofGain() || !before_)
        return then;
    phase_ = Phase::restore;
    then_ = std::move(then);
    return GainStep{CameraRole::guide, before_->setting};
}

double NoiseTest::exposureNow_s() const {
    if (phase_ == Phase::light)
        return lightExposures_s_[shot_ / 2];
    return ofGain() ? setup_.exposure_s : settingNow();
}

Step NoiseTest::advance(const Event& event) {
    if (phase_ == Phase::restore)
        return std::exchange(then_, DoneStep{}); // also where it could not be set: the camera was told
    if (auto end = brokenOff(event))
        return putBack(std::move(*end));
    if (const auto* answer = std::get_if<GainAnswered>(&event.what)) {
        if (!before_) {
            if (!answer->state)
                return FailStep{{Text::say("The guide camera's gain cannot be set."),
                                 Text::say("Its driver offers no gain."),
                                 Text::say("Test the exposure instead; set the gain by the driver.")}};
            before_ = *answer->state;
            planGains(*before_);
        } else {
            set_ = true;
        }
    }
    if (phase_ == Phase::begin) {
        if (ofGain() && !before_)
            return GainStep{CameraRole::guide, std::nullopt};
        if (!ofGain())
            for (const double s : setup_.exposures_s) {
                NoiseAt at;
                at.setting = at.exposure_s = s;
                results_.push_back(at);
            }
        seen_.resize(results_.size());
        light_.resize(results_.size());
        lightExposures_s_ = {shortestLight_s, std::max(longLight_s, setup_.exposure_s)};
        begin_ = event.now;
        phase_ = ofGain() ? Phase::light : Phase::stars;
    } else if (const auto* taken = std::get_if<FrameTaken>(&event.what)) {
        frame_ = taken->frame;
        const auto wrong = phase_ == Phase::light ? takeLight(*frame_) : takeStars(*frame_);
        if (wrong)
            return putBack(FailStep{*wrong});
    }
    return goOn();
}

Step NoiseTest::goOn() {
    if (phase_ == Phase::stars && round_ >= setup_.rounds)
        return putBack(DoneStep{});
    if (ofGain() && !set_)
        return GainStep{CameraRole::guide, settingNow()};
    ExposeStep step{exposureNow_s(), CameraRole::guide, false};
    // Darks of one gain do not fit another, and what is mended has no noise of its own.
    step.raw = ofGain();
    return step;
}

std::optional<Problem> NoiseTest::takeLight(const Frame& frame) {
    if (shot_ % 2 == 0) {
        first_ = frame_;
        ++shot_;
        return std::nullopt;
    }
    auto pair = lightPair(*first_, frame);
    if (!pair)
        return pair.error();
    light_[at_].push_back(*pair);
    if (++shot_ < framesOfLight)
        return std::nullopt;
    NoiseAt& r = results_[at_];
    if (const auto transfer = photonTransfer(light_[at_])) {
        r.camera = *transfer;
        const double top = std::ldexp(1.0, setup_.converterBits) - 1.0;
        r.saturation_e = (top - transfer->offset_adu) * transfer->gain_e_adu.value;
        if (setup_.fullWell_e > 0.0)
            r.saturation_e = std::min(r.saturation_e, setup_.fullWell_e);
    }
    shot_ = 0;
    set_ = false;
    if (++at_ == results_.size()) {
        // The stars are chosen at the lowest gain, where the fewest are too bright.
        at_ = 0;
        phase_ = Phase::stars;
    }
    return std::nullopt;
}

std::optional<Problem> NoiseTest::takeStars(const Frame& frame) {
    Frame measured = frame;
    NoiseAt& r = results_[at_];
    if (r.camera) {
        measured.info.gain_e_adu = r.camera->gain_e_adu.value;
        measured.info.saturation_adu =
            std::min(std::ldexp(1.0, setup_.converterBits) - 1.0,
                     r.camera->offset_adu + r.saturation_e / r.camera->gain_e_adu.value);
    }
    if (ofGain() && measured.info.bayer) // raw, see goOn()
        evenOutColour(measured);
    auto field = detectStars(measured);
    if (!field)
        return field.error();
    if (home_.empty()) {
        ChoiceOptions options;
        options.most = mostNoiseStars;
        options.minSnr = faintestOfNoise; // each counts by its own noise
        auto chosen =
            chooseGuideStars(*field, frame.width, frame.height, measured.info.saturation_adu, options);
        if (!chosen)
            return chosen.error();
        home_ = std::move(*chosen);
    }
    std::vector<Star> expected = home_;
    for (Star& s : expected) {
        s.x += homeShiftX_;
        s.y += homeShiftY_;
    }
    JitterFrame f;
    f.t_s = (frame.info.middle().value_or(*begin_)) - *begin_;
    const double area = static_cast<double>(frame.width) * frame.height;
    auto jump = findPattern(expected, field->stars, area, sameStar_px);
    if (!jump)
        jump = findJump(expected, field->stars, sameStar_px);
    if (!jump) {
        if (++lost_ >= mostFramesLost)
            return Problem{Text::say("The stars were lost."),
                           Text::say("%1 frames in a row did not show them.").arg(mostFramesLost),
                           Text::say("Wait for a clear sky, and test again.")};
        return std::nullopt; // the same setting again
    }
    lost_ = 0;
    homeShiftX_ += jump->dx;
    homeShiftY_ += jump->dy;
    for (const Star& h : home_) {
        const Star* best = nullptr;
        double least = sameStar_px;
        for (const Star& s : field->stars)
            if (const double d = std::hypot(s.x - h.x - homeShiftX_, s.y - h.y - homeShiftY_); d < least)
                least = d, best = &s;
        f.stars.push_back(best ? std::optional(*best) : std::nullopt);
    }
    seen_[at_].push_back(std::move(f));
    r.frames = static_cast<int>(seen_[at_].size());
    r.jitter = starJitter(seen_[at_]);
    if (const auto start = frame.info.start) {
        if (lastStart_)
            between_s_.push_back(std::max(0.0, *start - *lastStart_ - lastExposure_s_));
        lastStart_ = start;
        lastExposure_s_ = frame.info.exposure_s;
    }
    if (r.jitter) {
        const double cycle_s = r.exposure_s + (between_s_.empty() ? noiseReadOut_s : median(between_s_));
        const double share = std::sqrt(cycle_s / 60.0);
        r.minute_px = {r.jitter->group_px.value * share, r.jitter->group_px.sigma * share};
    }
    set_ = false;
    if (++at_ == results_.size()) {
        at_ = 0;
        ++round_;
    }
    return std::nullopt;
}

Progress NoiseTest::progress() const {
    using State = ProgressStep::State;
    Progress p;
    const auto state = [this](Phase of) {
        return phase_ == of ? State::running : phase_ > of ? State::done : State::ahead;
    };
    if (ofGain())
        p.steps.push_back(
            {Text::say("Camera noise"), phase_ == Phase::begin ? State::running : state(Phase::light)});
    p.steps.push_back({Text::say("Stars"), state(Phase::stars)});
    double whole_s = 0.0, left_s = 0.0;
    for (size_t i = 0; i < results_.size(); ++i) {
        const double each_s = (ofGain() ? setup_.exposure_s : results_[i].setting) + noiseReadOut_s;
        whole_s += setup_.rounds * each_s;
        const int ahead = setup_.rounds - results_[i].frames;
        left_s += ahead * each_s;
        if (!ofGain())
            continue;
        const double light_s = 2.0 * (shortestLight_s + longLight_s) + framesOfLight * noiseReadOut_s;
        whole_s += light_s;
        if (phase_ <= Phase::light && i >= at_)
            left_s += light_s;
    }
    if (whole_s > 0.0) {
        p.fraction = std::clamp(1.0 - left_s / whole_s, 0.0, 1.0);
        p.timeLeft_s = std::max(0.0, left_s);
    }
    if (phase_ == Phase::restore)
        p.waitingFor = Text::say("setting the gain back to %1").arg(formatNumber(before_->setting, 0));
    else if (!results_.empty() && ofGain())
        p.waitingFor = Text::say("gain %1, %2 s")
                           .arg(formatNumber(settingNow(), 0))
                           .arg(formatNumber(exposureNow_s(), 1));
    else if (!results_.empty())
        p.waitingFor = Text::say("exposure of %1 s, round %2 of %3")
                           .arg(formatNumber(settingNow(), 1))
                           .arg(std::min(round_ + 1, setup_.rounds))
                           .arg(setup_.rounds);
    return p;
}

} // namespace nordstjerna
