// Where a trial of two settings takes place: put in by the window, carried out by the thread that guides,
// between two of its steps.
#pragma once

#include <mutex>
#include <optional>

#include "core/procedure/guiding.h"
#include "core/review/trial.h"

namespace nordstjerna {

class TrialSlot {
public:
    struct Seen {
        bool running = false;
        TrialState state;
        TrialRules rules;
        double t_s = 0.0;  // since it began
        int arm = 0;       // at work now
        std::string ended; // why; empty while it runs or none was made
    };

    // Begins once the loop is steady; its pace and its settings decide how long the blocks are. The first
    // settings are those in use. exposure_s: until the pace has been seen.
    void begin(std::uint64_t seed, double exposure_s, const ControllerSettings& first,
               const ControllerSettings& second);
    // The first settings are put back with the next frame.
    void stop(const std::string& why);
    Seen seen() const;

    // In the thread that guides: counts new rows, and changes over when it is time.
    void after(Guiding& guiding);
    // Guiding has ended, and with it the trial.
    void guidingEnded();

private:
    void useArm(Guiding& guiding, int arm);
    void useRules(double cadence_s, std::uint64_t seed);
    mutable std::mutex lock_;
    std::optional<Trial> trial_;
    ControllerSettings first_, second_;
    Seen seen_;
    const Guiding* watched_ = nullptr;
    double begun_s_ = 0.0; // of the run
    size_t counted_ = 0;   // rows of it
    bool putBack_ = false;
};

} // namespace nordstjerna
