// Focusers and what focusing told.
#include "desk/session.h"

#include <future>

#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

void Session::askFocuser(CameraRole camera, std::function<void(const Expected<FocuserState>&)> told) {
    Focuser* focuser = focuserOf(devices_, camera);
    if (!focuser)
        return;
    // One after the other: no question is lost because the one before takes long.
    focuserAsked_ = std::async(std::launch::async, [this, focuser, told, before = std::move(focuserAsked_)] {
        if (before.valid())
            before.wait();
        Expected<FocuserState> state;
        try {
            state = focuser->state();
        } catch (const std::exception& e) {
            state = nordstjerna::problem("The focuser's driver failed.",
                                         std::string("Unexpected failure: ") + e.what() + ".",
                                         "Connect the focuser again.");
        }
        QMetaObject::invokeMethod(
            this, [told, state] { told(state); }, Qt::QueuedConnection);
    });
}

namespace {
const char* cameraId(CameraRole camera) {
    return camera == CameraRole::guide ? "guide" : "imaging";
}
} // namespace

std::vector<FocusedOnce> Session::focused(CameraRole camera) const {
    const auto rig = evening_.focused.find(rig_.id);
    if (rig == evening_.focused.end() || !rig->second.contains(cameraId(camera)))
        return {};
    return rig->second.at(cameraId(camera));
}

void Session::keepFocused(CameraRole camera, const FocusResult& result) {
    LogEntry entry = newEntry(EntryKind::focus);
    entry.how = std::string(camera == CameraRole::guide ? "guide" : "imaging") + " camera, " +
                formatCount(result.exposures, "frame") + (result.doubt.empty() ? "" : "; in doubt");
    entry.figures = figuresOfFocus(result);
    entry.detail = jsonText(focusToJson(result));
    logbook_->add(std::move(entry));
    noteSharpened(camera);
    if (result.temperature_c) {
        constexpr size_t most = 60;
        auto& runs = evening_.focused[rig_.id][cameraId(camera)];
        runs.push_back({now(), result.curve.best_steps, *result.temperature_c});
        if (runs.size() > most)
            runs.erase(runs.begin());
    }
    if (result.play_steps) {
        Rig rig = rig_;
        keepPlay(result, focuserSpecOf(rig, camera));
        setRig(rig);
    }
    keepEvening();
}

bool Session::sharpened(CameraRole camera) const {
    constexpr double evening_s = 12.0 * 3600.0;
    const auto runs = focused(camera);
    return sharpened_.contains(camera) || (!runs.empty() && std::abs(now() - runs.back().when) < evening_s);
}

void Session::setFocus(const Focus& focus) {
    focus_ = focus;
    Q_EMIT resultsChanged();
}

} // namespace nordstjerna
