// What Tune proposed and the person took over: watched while it guides, and taken back where it leaves more
// than the former settings would have.
#pragma once

#include <QObject>

#include "core/findings/finding.h"
#include "core/motion/proposal_watch.h"
#include "core/motion/tune.h"
#include "desk/beside.h"
#include "desk/evening/guide_settings.h"

namespace nordstjerna {

class ProposalKeeper : public QObject {
    Q_OBJECT
public:
    ProposalKeeper(GuideSettings& settings, ProblemList& problems, QObject* parent);

    // found: where it comes from, or null. now: in the time of runs.
    void use(const std::vector<Recommendation>& changes, const Tune* found, Instant now);
    bool inUse() const { return proposal_.has_value(); }
    Instant since() const { return proposal_ ? proposal_->since : Instant(); }
    void undo();
    // The run under way, with all its rows: after ten minutes, and twice later, it is judged beside the
    // window.
    void look(const Run& run);
    // That it was taken back this evening.
    const std::optional<Finding>& takenBack() const { return takenBack_; }

Q_SIGNALS:
    // What it achieved so far.
    void told(const Text& words);
    // It is not in use any more: the person has changed the settings, or it was worse.
    void over(const Text& words);

private:
    struct Proposal {
        Instant since;
        ControllerSettings former, now;
        double formerExposure_s = 0.0, exposure_s = 0.0;
        bool otherExposure() const { return exposure_s != formerExposure_s; }
        LoopFigures promised;
        std::vector<SettingKey> keys;
        double nextLook_s = 0.0; // after it was taken over
    };
    void judged(const WatchedProposal& w);
    GuideSettings& settings_;
    std::optional<Proposal> proposal_;
    std::optional<Finding> takenBack_;
    Beside beside_; // goes first: its work is waited for
};

} // namespace nordstjerna
