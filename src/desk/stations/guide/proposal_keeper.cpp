#include "desk/stations/guide/proposal_keeper.h"

#include "core/base/format.h"
#include "core/motion/axis_summary.h"
#include "core/motion/mount_part.h"

namespace nordstjerna {

namespace {
constexpr double lookEach_s = 600.0;
constexpr double lastLook_s = 1800.0; // by then it has shown what it is

Text rms(const Measured& m) {
    return formatMeasured(m, "″", 2);
}
} // namespace

ProposalKeeper::ProposalKeeper(GuideSettings& settings, ProblemList& problems, QObject* parent)
    : QObject(parent), settings_(settings), beside_(problems) {}

void ProposalKeeper::use(const std::vector<Recommendation>& changes, const Tune* found, Instant now) {
    Proposal p;
    p.since = now;
    p.former = settings_.book().controller();
    if (found) {
        p.before = found->now;
        p.promised = found->proposed;
    }
    for (const Recommendation& r : changes) {
        p.keys.push_back(r.key);
        p.otherExposure = p.otherExposure || r.key == SettingKey::exposure;
        settings_.change(r.key, r.value, "tune", r.evidence.then(r.reason).english());
    }
    p.now = settings_.book().controller();
    p.nextLook_s = lookEach_s;
    proposal_ = p;
    takenBack_.reset();
}

void ProposalKeeper::undo() {
    if (!proposal_)
        return;
    const std::vector<SettingKey> keys = proposal_->keys;
    proposal_.reset();
    for (SettingKey key : keys) {
        const auto& changes = settings_.book().changes();
        for (size_t i = changes.size(); i-- > 0;)
            if (changes[i].key == key && changes[i].origin == "tune" && settings_.book().canUndo(i)) {
                settings_.undo(i);
                break;
            }
    }
}

void ProposalKeeper::look(const Run& run, const std::vector<RowBelief>& beliefs) {
    if (!proposal_ || run.rows.empty())
        return;
    if (!settingsThatDiffer(settings_.book().controller(), proposal_->now).empty()) {
        proposal_.reset();
        Q_EMIT over(
            Text::say("The settings were changed by hand since; Tune's proposal is not watched any more."));
        return;
    }
    // It may have been taken over before this run began.
    const double since_s = std::max(proposal_->since - run.meta.start, 0.0);
    const double gone_s = run.rows.back().t_s - since_s;
    if (gone_s < proposal_->nextLook_s || proposal_->nextLook_s > lastLook_s || beside_.busy())
        return;
    proposal_->nextLook_s += lookEach_s;
    if (proposal_->otherExposure) {
        compareByFigures(run, beliefs);
        return;
    }
    beside_.run([this, run, since_s, former = proposal_->former, of = proposal_->since] {
        const auto w = watchProposal(run, since_s, former);
        return [this, w, of] {
            if (w && proposal_ && proposal_->since == of)
                judged(*w);
        };
    });
}

void ProposalKeeper::judged(const WatchedProposal& w) {
    if (w.verdict == ProposalVerdict::open)
        return;
    const Text achieved = Text::say("Achieved %1; the previous settings would have left %2 meanwhile.")
                              .arg(rms(w.achieved_arcsec))
                              .arg(rms(w.former_arcsec));
    if (w.verdict != ProposalVerdict::worse) {
        Q_EMIT told(achieved.then(Text::say("Predicted: %1.").arg(rms(proposal_->promised.total_arcsec))));
        return;
    }
    undo();
    takenBack_ =
        Finding{"guide.taken-back", Weight::look, Text::say("Tune's settings were taken back"), achieved,
                Text::say("The previous settings are in use again. Let it guide for longer before tuning "
                          "again; a replay knows only what was measured, see Response in Controllers.")};
    Q_EMIT over(Text::say("Taken back. %1").arg(achieved));
}

// Frames of another length cannot be guided by the former settings: the figures of before must do.
void ProposalKeeper::compareByFigures(const Run& run, const std::vector<RowBelief>& beliefs) {
    const auto live = liveRms(run.rows, lookEach_s);
    const auto mount = liveMountPart(run.rows, beliefs, lookEach_s);
    if (!live || !mount)
        return;
    Q_EMIT told(Text::say("Achieved %1 (mount part %2); predicted %3; before %4")
                    .arg(rms({live->total_arcsec, live->sigma_arcsec}))
                    .arg(rms(*mount))
                    .arg(rms(proposal_->promised.total_arcsec))
                    .arg(rms(proposal_->before.total_arcsec)));
}

} // namespace nordstjerna
