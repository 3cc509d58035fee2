#include "desk/evening/focus_book.h"

#include "core/base/format.h"
#include "core/review/entry_figures.h"
#include "edge/store/focus_json.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

FocusBook::FocusBook(const Devices& devices, EveningStore& evening, RigBook& rigs, const ThisNight& night,
                     Logbook& logbook)
    : devices_(devices), evening_(evening), rigs_(rigs), night_(night), logbook_(logbook) {
    connect(&rigs, &RigBook::replaced, this, [this] { setFocus({}); });
}

FocusBook::~FocusBook() {
    if (asked_.valid())
        asked_.wait();
}

void FocusBook::askFocuser(CameraRole camera, std::function<void(const Expected<FocuserState>&)> told) {
    Focuser* focuser = focuserOf(devices_, camera);
    if (!focuser)
        return;
    // One after the other: no question is lost because the one before takes long.
    asked_ = std::async(std::launch::async, [this, focuser, told, before = std::move(asked_)] {
        if (before.valid())
            before.wait();
        Expected<FocuserState> state;
        try {
            state = focuser->state();
        } catch (const std::exception& e) {
            state = problem(Text::say("The focuser's driver failed."),
                            Text::say("Unexpected failure: %1.").arg(e.what()),
                            Text::say("Connect the focuser again."));
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

std::vector<FocusedOnce> FocusBook::focused(CameraRole camera) const {
    const auto& all = evening_.evening().focused;
    const auto rig = all.find(rigs_.rig().opticsId);
    if (rig == all.end() || !rig->second.contains(cameraId(camera)))
        return {};
    return rig->second.at(cameraId(camera));
}

FilterOffsets FocusBook::offsets() const {
    return filterOffsets(focused(CameraRole::imaging), rigs_.rig().imagingFocuser);
}

std::vector<FocusedOnce> FocusBook::focusedAlike(CameraRole camera) const {
    return camera == CameraRole::imaging ? throughReference(focused(camera), offsets()) : focused(camera);
}

void FocusBook::keepFocused(CameraRole camera, const FocusResult& result, const std::string& filter) {
    LogEntry entry = night_.newEntry(EntryKind::focus);
    entry.how = (camera == CameraRole::guide
                     ? Text::say("guide camera, %n frame|guide camera, %n frames", "", result.exposures)
                     : Text::say("imaging camera, %n frame|imaging camera, %n frames", "", result.exposures))
                    .then(filter.empty() ? Text() : Text::say("filter %1").arg(filter), "; ")
                    .then(result.doubt.empty() ? Text() : Text::say("in doubt"), "; ")
                    .english();
    entry.figures = figuresOfFocus(result);
    entry.detail = jsonText(focusToJson(result));
    logbook_.add(std::move(entry));
    noteSharpened(camera);
    if (result.temperature_c || !filter.empty())
        evening_.edit([&](Evening& e) {
            constexpr size_t most = 200;
            auto& runs = e.focused[rigs_.rig().opticsId][cameraId(camera)];
            runs.push_back({night_.now(), result.curve.best_steps, result.temperature_c, filter});
            if (runs.size() > most)
                runs.erase(runs.begin());
        });
    if (result.backlash_steps) {
        Rig rig = rigs_.rig();
        keepBacklash(result, focuserSpecOf(rig, camera));
        rigs_.set(rig);
    }
}

bool FocusBook::sharpened(CameraRole camera) const {
    constexpr double evening_s = 12.0 * 3600.0;
    const auto runs = focused(camera);
    return sharpened_.contains(camera) ||
           (!runs.empty() && std::abs(night_.now() - runs.back().when) < evening_s);
}

void FocusBook::setFocus(const Focus& focus) {
    focus_ = focus;
    Q_EMIT changed();
}

} // namespace nordstjerna
