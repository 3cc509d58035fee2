#include "desk/evening/mount_book.h"

#include "core/base/format.h"
#include "core/review/entry_figures.h"

namespace nordstjerna {

MountBook::MountBook(EveningStore& evening, const RigBook& rigs, const ThisNight& night, Logbook& logbook)
    : evening_(evening), rigs_(rigs), night_(night), logbook_(logbook) {
    connect(&rigs, &RigBook::replaced, this, [this] {
        pole_.reset();
        freeRun_.reset();
        freeStory_.reset();
        backlash_.reset();
        Q_EMIT changed();
    });
}

void MountBook::setPole(const PoleResult& result) {
    pole_ = result;
    LogEntry entry = night_.newEntry(EntryKind::pole);
    entry.target.clear();
    entry.how = Text::say("measured by %n sighting|measured by %n sightings", "",
                          static_cast<int>(result.sightings.size()))
                    .english();
    entry.figures = figuresOfPole(result.error);
    logbook_.add(std::move(entry));
    Q_EMIT changed();
}

void MountBook::setFreeRun(const Run& run, std::shared_ptr<const RunStory> story) {
    freeRun_ = std::make_shared<const Run>(run);
    freeStory_ = std::move(story);
}

RunSurroundings MountBook::surroundings() const {
    RunSurroundings around;
    around.shaftTurns = rigs_.rig().mount.shaftTurns;
    around.site = rigs_.rig().site;
    around.wormPeriod_s = rigs_.rig().mount.wormPeriod_s;
    if (pole_)
        around.axis = pole_->fit;
    return around;
}

LoopPriors MountBook::taught() const {
    const auto& all = evening_.evening().taught;
    const auto known = all.find(rigs_.rig().mount.id);
    LoopPriors priors = known != all.end() ? known->second : LoopPriors();
    // A test tells more of the backlash than guiding does.
    if (backlash_ && backlash_->deadAngle_arcsec.value > 0.0)
        priors.dec.backlash_arcsec = backlash_->deadAngle_arcsec;
    return priors;
}

void MountBook::learn(const LoopPriors& taught) {
    evening_.edit([&](Evening& e) {
        LoopPriors& known = e.taught[rigs_.rig().mount.id];
        if (taught.ra.worm)
            known.ra = taught.ra;
        if (taught.dec.backlash_arcsec)
            known.dec = taught.dec;
    });
}

} // namespace nordstjerna
