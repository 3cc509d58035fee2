#include "edge/devices/prepared_camera.h"

#include <cmath>

namespace nordstjerna {

void PreparedCamera::setDarks(DarkStore store) {
    const std::scoped_lock guard(lock_);
    store_ = std::move(store);
}

Expected<void> PreparedCamera::addDark(const MasterDark& dark) {
    const std::scoped_lock guard(lock_);
    return store_.add(dark);
}

std::vector<Problem> PreparedCamera::darkProblems() const {
    const std::scoped_lock guard(lock_);
    return store_.problems();
}

PreparedCamera::DarkUse PreparedCamera::darkUse() const {
    const std::scoped_lock guard(lock_);
    DarkUse use = use_;
    use.learned = learnedCount_;
    return use;
}

void PreparedCamera::setStated(const CameraSpec& spec) {
    const std::scoped_lock guard(lock_);
    stated_ = spec;
}

void PreparedCamera::oweGain(double setting) {
    const std::scoped_lock guard(lock_);
    owedGain_ = setting;
}

// A camera that does not answer is heard of by the exposure itself.
void PreparedCamera::putGainBack(const StopFlag& halt) {
    std::optional<double> wanted;
    {
        const std::scoped_lock guard(lock_);
        wanted = stated_ && stated_->gainSetting >= 0.0 ? stated_->gainSetting : owedGain_;
    }
    if (!wanted)
        return;
    const auto now = camera_.gain(halt);
    constexpr double same = 0.5;
    const bool differs = now && *now && std::abs((*now)->setting - *wanted) > same;
    if (!now || (differs && !camera_.setGain(*wanted, halt)))
        return;
    const std::scoped_lock guard(lock_);
    owedGain_.reset();
}

void PreparedCamera::state(FrameInfo& info) const {
    const std::scoped_lock guard(lock_);
    if (!stated_)
        return;
    info.gain_e_adu = stated_->gain_e_adu;
    info.saturation_adu = stated_->saturation_adu();
}

DarkStore::Match PreparedCamera::darkFor(const DarkKind& kind) {
    const std::scoped_lock guard(lock_);
    const DarkStore::Match match = store_.match(kind);
    use_ = {};
    if (match.dark) {
        use_.state = match.scale == 1.0 ? DarkState::fits : DarkState::scaled;
        use_.badPixels = match.dark->badCount;
        use_.exposure_s = match.dark->kind.exposure_s;
        use_.scale = match.scale;
        use_.noise_adu = match.scale * match.dark->scatter;
    } else if (const auto kinds = store_.kinds(); !kinds.empty()) {
        use_.state = DarkState::differs;
        use_.differsIn = whyDarkDoesNotFit(kinds.back(), kind);
    }
    return match;
}

void PreparedCamera::learnFrom(Frame& whole) {
    const std::scoped_lock guard(learning_);
    learned_.see(whole);
    learned_.mend(whole);
    learnedCount_ = learned_.count();
}

void PreparedCamera::mendLearned(Frame& frame) {
    const std::scoped_lock guard(learning_);
    learned_.mend(frame);
}

Expected<std::shared_ptr<const Frame>> PreparedCamera::expose(double exposure_s, const StopFlag& halt) {
    putGainBack(halt);
    auto frame = camera_.expose(exposure_s, halt);
    if (!frame)
        return frame;
    fullWidth_ = (*frame)->width;
    fullHeight_ = (*frame)->height;
    const auto [dark, scale] = darkFor(DarkKind::of(**frame));
    Frame ready = **frame;
    state(ready.info);
    if (dark)
        applyDark(ready, *dark, scale);
    if (ready.info.bayer) // what stands alone there is a colour
        evenOutColour(ready);
    else
        learnFrom(ready);
    return std::make_shared<const Frame>(std::move(ready));
}

// Trailed exposures differ in length from all darks; hot pixels do not look like trails.
Expected<std::shared_ptr<const Frame>> PreparedCamera::finish(const StopFlag& halt) {
    return camera_.finish(halt);
}

Expected<Camera::Windows> PreparedCamera::exposeWindows(double exposure_s,
                                                        const std::vector<ExpectedStar>& stars,
                                                        const StopFlag& halt) {
    auto windows = camera_.exposeWindows(exposure_s, stars, halt);
    if (!windows || windows->frames.empty())
        return windows;
    DarkKind kind = DarkKind::of(windows->frames.front());
    kind.width = fullWidth_;
    kind.height = fullHeight_;
    const auto [dark, scale] = darkFor(kind);
    for (Frame& f : windows->frames) {
        state(f.info);
        if (dark)
            applyDark(f, *dark, scale);
        if (f.info.bayer)
            evenOutColour(f);
        else
            mendLearned(f);
    }
    return windows;
}

} // namespace nordstjerna
