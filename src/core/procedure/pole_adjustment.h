// Live adjusting: sighting after sighting at the camera's pace while a person turns the levers; each gives
// both lever angles and the axis. Ends when told to; the final word has a fresh measurement.
#pragma once

#include "core/pole/lever_fit.h"
#include "core/pole/lever_moves.h"
#include "core/pole/pole_error.h"
#include "core/procedure/arrival.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct PoleAdjustmentSetup {
    Rig rig;
    AxisFit axis;                      // where the axis points at the start
    std::optional<Sighting> sighting;  // the last one, if the telescope still stands there
    std::optional<HourAngleDec> place; // slew there first; the first sighting there is the reference
    LeverMoves learnt;                 // from adjusting before
    double exposure_s = 2.0;
    double longestExposure_s = 8.0;
    double settle_s = 4.0;
    double dut1_s = 0.0;
};

class PoleAdjustment : public Procedure {
public:
    explicit PoleAdjustment(PoleAdjustmentSetup setup);
    Step advance(const Event& event) override;
    Progress progress() const override;
    Text name() const override { return Text::say("Adjusting the pole"); }

    struct Point {
        Instant when;
        LeverFit levers;
    };
    enum class State {
        starting,
        watching, // figures are good
        blind,    // the last frames could not be solved
        moved     // something other than the levers moved: measure afresh
    };
    State state() const { return state_; }
    const std::optional<Problem>& trouble() const { return trouble_; }
    const std::vector<Point>& path() const { return path_; }
    const LeverMoves& moves() const { return moves_; }
    bool nameLastMove(double turns) { return moves_.nameLast(turns); }
    std::shared_ptr<const Frame> frame() const { return frame_; }
    // 1σ of one sighting here, for each lever.
    std::optional<LeverSight> sight() const { return sight_; }
    double exposure_s() const { return exposure_s_; }

private:
    Step expose();
    Step solve(const Event& event);
    Step judge(const Event& event, const FrameSolved& solved);

    enum class Phase { start, tracking, arriving, exposing, solving, ended };
    PoleAdjustmentSetup setup_;
    Phase phase_ = Phase::start;
    Arrival arrival_;
    State state_ = State::starting;
    double exposure_s_;
    int failures_ = 0;
    int strange_ = 0; // sightings in a row that levers do not explain
    std::shared_ptr<const Frame> frame_;
    std::optional<LeverReference> reference_;
    std::optional<LeverSight> sight_;
    std::vector<Point> path_;
    LeverMoves moves_;
    std::optional<Problem> trouble_;
};

// The free place from which one sighting shows both levers best.
Expected<HourAngleDec> bestLeverPlace(const Rig& rig);

} // namespace nordstjerna
