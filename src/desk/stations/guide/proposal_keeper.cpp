#include "desk/stations/guide/proposal_keeper.h"

#include "core/base/format.h"

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
    p.formerExposure_s = settings_.book().value(SettingKey::exposure);
    if (found)
        p.promised = found->proposed;
    for (const Recommendation& r : changes) {
        p.keys.push_back(r.key);
        settings_.change(r.key, r.value, "tune", r.evidence.then(r.reason).english());
    }
    p.now = settings_.book().controller();
    p.exposure_s = settings_.book().value(SettingKey::exposure);
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

void ProposalKeeper::look(const Run& run) {
    if (!proposal_ || run.rows.empty())
        return;
    const SettingsBook& book = settings_.book();
    if (!settingsThatDiffer(book.controller(), proposal_->now).empty() ||
        book.value(SettingKey::exposure) != proposal_->exposure_s) {
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
    beside_.run([this, run, since_s, p = *proposal_] {
        const auto w = p.otherExposure()
                           ? watchOtherExposure(run, since_s, p.former, p.formerExposure_s, p.exposure_s)
                           : watchProposal(run, since_s, p.former);
        return [this, w, of = p.since] {
            if (w && proposal_ && proposal_->since == of)
                judged(*w);
        };
    });
}

void ProposalKeeper::judged(const WatchedProposal& w) {
    if (w.verdict == ProposalVerdict::open)
        return;
    // Frames of other lengths see another air.
    const bool byMount = proposal_->otherExposure();
    const LoopFigures& promised = proposal_->promised;
    const Text achieved =
        (byMount
             ? Text::say("Achieved a mount part of %1; the previous settings would have left %2 meanwhile.")
             : Text::say("Achieved %1; the previous settings would have left %2 meanwhile."))
            .arg(rms(w.achieved_arcsec))
            .arg(rms(w.former_arcsec));
    if (w.verdict != ProposalVerdict::worse) {
        Q_EMIT told(
            achieved.then(Text::say("Predicted: %1.")
                              .arg(rms(byMount ? promised.mountPart_arcsec : promised.total_arcsec))));
        return;
    }
    undo();
    takenBack_ =
        Finding{"guide.taken-back", Weight::look, Text::say("Tune's settings were taken back"), achieved,
                Text::say("The previous settings are in use again. Let it guide for longer before tuning "
                          "again; a replay knows only what was measured, see Response in Controllers.")};
    Q_EMIT over(Text::say("Taken back. %1").arg(achieved));
}

} // namespace nordstjerna
