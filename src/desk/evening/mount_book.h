// What tonight's measurements tell of the mount, for other procedures to build on.
#pragma once

#include "core/findings/run_story.h"
#include "core/procedure/pole_measurement.h"
#include "desk/evening/this_night.h"
#include "desk/logbook.h"

namespace nordstjerna {

class MountBook : public QObject {
    Q_OBJECT
public:
    MountBook(EveningStore& evening, const RigBook& rigs, const ThisNight& night, Logbook& logbook);

    const std::optional<PoleResult>& pole() const { return pole_; }
    // Entered in the night log, too.
    void setPole(const PoleResult& result);
    // The last free run, and what it tells; the story is absent where it was too short.
    const std::shared_ptr<const Run>& freeRun() const { return freeRun_; }
    const std::shared_ptr<const RunStory>& freeStory() const { return freeStory_; }
    void setFreeRun(const Run& run, std::shared_ptr<const RunStory> story);
    const std::optional<BacklashResult>& backlash() const { return backlash_; }
    void setBacklash(const std::optional<BacklashResult>& b) { backlash_ = b; }
    // What is known beside a run of the rig in use.
    RunSurroundings surroundings() const;

    // What the runs of this mount taught so far, with whatever optics, for the next to begin with.
    LoopPriors taught() const;
    void learn(const LoopPriors& taught);

Q_SIGNALS:
    void changed();

private:
    EveningStore& evening_;
    const RigBook& rigs_;
    const ThisNight& night_;
    Logbook& logbook_;
    std::optional<PoleResult> pole_;
    std::shared_ptr<const Run> freeRun_;
    std::shared_ptr<const RunStory> freeStory_; // of it
    std::optional<BacklashResult> backlash_;
};

} // namespace nordstjerna
