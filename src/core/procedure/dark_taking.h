// Takes darks behind a covered telescope and makes their mean and bad-pixel map: of several exposures in one
// covering.
#pragma once

#include "core/image/darks.h"
#include "core/procedure/procedure.h"

namespace nordstjerna {

// The exposures that a night may want: those that are asked for, and those that sightings, guiding and Tune
// choose among, from 1 to 6 s. The shortest first; what differs by less than 5 % is one.
std::vector<double> darkExposures(const std::vector<double>& wanted);

class DarkTaking : public Procedure {
public:
    DarkTaking(std::vector<double> exposures_s, int count)
        : exposures_s_(std::move(exposures_s)), count_(count) {}
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Darks"); }
    bool needsMount() const override { return false; }
    // Of the exposures that are complete; all of them at the end.
    const std::vector<MasterDark>& results() const { return results_; }
    bool complete() const { return results_.size() == exposures_s_.size(); }

private:
    std::vector<double> exposures_s_;
    int count_; // of each
    std::vector<Frame> frames_;
    std::vector<MasterDark> results_;
};

// How long it takes, with the frames' way from the camera.
double darkTime_s(const std::vector<double>& exposures_s, int count);

} // namespace nordstjerna
