// Focusers, and what focusing told: tonight's sharpness, and the runs of earlier nights.
#pragma once

#include <QObject>
#include <future>
#include <set>

#include "core/focus/filter_offsets.h"
#include "core/procedure/focus_run.h"
#include "desk/evening/this_night.h"
#include "desk/logbook.h"
#include "edge/devices/devices.h"

namespace nordstjerna {

class FocusBook : public QObject {
    Q_OBJECT
public:
    FocusBook(const Devices& devices, EveningStore& evening, RigBook& rigs, const ThisNight& night,
              Logbook& logbook);
    ~FocusBook() override; // waits for focusers that were asked

    // Typical half-flux diameter when focusing ended, and the best seen; 0: not focused yet.
    struct Focus {
        double hfd_px = 0.0;
        double best_px = 0.0;
    };
    const Focus& focus() const { return focus_; }
    void setFocus(const Focus& focus);

    // Whether a motor moves this camera.
    bool hasFocuser(CameraRole camera) const { return focuserOf(devices_, camera) != nullptr; }
    // Where it stands, asked beside the window; `told` runs in the window.
    void askFocuser(CameraRole camera, std::function<void(const Expected<FocuserState>&)> told);
    // What the focus runs with these optics found, oldest first.
    std::vector<FocusedOnce> focused(CameraRole camera) const;
    // Whether it was focused, or its frames looked at, this evening; frames looked at are forgotten at the
    // end of the program.
    bool sharpened(CameraRole camera) const;
    void noteSharpened(CameraRole camera) { sharpened_.insert(camera); }
    // One more, into the night log; what it taught of heat and backlash is kept too.
    // filter: that was before the camera; empty: none, or not known.
    void keepFocused(CameraRole camera, const FocusResult& result, const std::string& filter);
    // By how much the filters before the imaging camera differ, as far as is known.
    FilterOffsets offsets() const;
    // As `focused`, brought to one filter: what tells of the temperature.
    std::vector<FocusedOnce> focusedAlike(CameraRole camera) const;

Q_SIGNALS:
    void changed();

private:
    const Devices& devices_;
    EveningStore& evening_;
    RigBook& rigs_;
    const ThisNight& night_;
    Logbook& logbook_;
    Focus focus_;
    std::set<CameraRole> sharpened_;
    std::future<void> asked_;
};

} // namespace nordstjerna
