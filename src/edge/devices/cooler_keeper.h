// Leads a cooler to a temperature and back in a thread of its own, for whoever asked: nobody waits for it. A
// cooler that does not answer is asked again.
#pragma once

#include <condition_variable>
#include <mutex>
#include <optional>
#include <thread>

#include "core/image/cooler_ramp.h"
#include "core/procedure/procedure.h"
#include "edge/devices/clock.h"
#include "edge/devices/cooler.h"

namespace nordstjerna {

class CoolerKeeper {
public:
    // Both must outlive it.
    CoolerKeeper(Cooler& cooler, Clock& clock);
    ~CoolerKeeper(); // the cooler stays as it is
    CoolerKeeper(const CoolerKeeper&) = delete;
    CoolerKeeper& operator=(const CoolerKeeper&) = delete;

    // From any thread.
    void cool(double to_c);
    void warm();
    struct Look {
        std::optional<CoolerState> state; // as last told; absent: it has not answered yet
        std::optional<Problem> trouble;   // of the last question or command
        CoolerPhase phase = CoolerPhase::idle;
        std::optional<double> goal_c;
    };
    Look look() const;
    // Asks it now and waits for the answer.
    Expected<CoolerAnswered> ask();

private:
    void run();
    Expected<CoolerState> attend();
    Cooler& cooler_;
    Clock& clock_;
    std::mutex asking_; // one question at a time
    mutable std::mutex lock_;
    std::condition_variable wake_;
    CoolerRamp ramp_;
    Look look_;
    bool ending_ = false;
    std::thread thread_;
};

} // namespace nordstjerna
