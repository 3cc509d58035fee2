#include "desk/session.h"

namespace nordstjerna {

Session::Session(std::unique_ptr<Observatory> observatory, const FirstEvening& first,
                 std::shared_ptr<StarIndex> index, const std::filesystem::path& dataFolder)
    : observatory_(std::move(observatory)), devices_(observatory_->devices()), index_(std::move(index)),
      writes_(std::make_unique<WriteQueue>()) {
    const Clock& clock = *devices_.clock;
    evening_ = std::make_unique<EveningStore>(dataFolder, *writes_, problems_);
    if (const std::string& folder = evening_->evening().indexFolder; !folder.empty())
        if (const auto added = index_->add(folder); !added)
            problems_.report(ProblemCause::starIndex, added.error());
    rigs_ = std::make_unique<RigBook>(first.rig, *evening_);
    targets_ = std::make_unique<TargetBook>(first.targetName, first.target, *evening_, *rigs_, clock);
    night_ = std::make_unique<ThisNight>(clock, *rigs_, *targets_, dataFolder);
    const auto guarded = [this] { observatory_->guard().setRig(rigs_->rig()); };
    guarded();
    QObject::connect(rigs_.get(), &RigBook::changed, guarded);

    guideCamera_ = std::make_unique<PreparedCamera>(*devices_.guideCamera);
    guideCamera_->setDarks(DarkStore::open(dataFolder / "darks"));
    for (const Problem& p : guideCamera_->darkProblems())
        problems_.report(ProblemCause::darks, p);
    const auto stated = [this] { guideCamera_->setStated(rigs_->rig().guideCamera); };
    stated();
    QObject::connect(rigs_.get(), &RigBook::changed, stated);
    devices_.rawGuideCamera = devices_.guideCamera;
    devices_.guideCamera = guideCamera_.get();
    devices_.track = trackByCamera(*guideCamera_);

    logbook_ = std::make_unique<Logbook>(dataFolder, *writes_, problems_);
    mount_ = std::make_unique<MountDesk>(*observatory_, problems_);
    settings_ = std::make_unique<GuideSettings>(*evening_, *rigs_, *night_);
    mountBook_ = std::make_unique<MountBook>(*evening_, *rigs_, *night_, *logbook_);
    calibrationBook_ =
        std::make_unique<CalibrationBook>(*evening_, *rigs_, *settings_, *night_, *mount_, *logbook_);
    focusBook_ = std::make_unique<FocusBook>(devices_, *evening_, *rigs_, *night_, *logbook_);
    cameraDesk_ = std::make_unique<CameraDesk>(devices_, *rigs_, problems_);
    procedures_ = std::make_unique<ProcedureHost>(devices_, *night_, *mount_, problems_);
    guideHost_ = std::make_unique<GuideHost>(devices_, *night_, *mount_, *procedures_, problems_);
    devices_.guide = &guideHost_->link();
}

Expected<int> Session::addIndexFolder(const std::filesystem::path& folder) {
    const auto added = index_->add(folder);
    if (added)
        evening_->edit([&](Evening& e) { e.indexFolder = folder.string(); });
    return added;
}

Session::~Session() {
    procedures_->end(); // it may use what guides
    guideHost_.reset(); // its last rows are still to be written
    focusBook_.reset();
    cameraDesk_.reset();
    writes_.reset(); // calls back into the others
}

} // namespace nordstjerna
