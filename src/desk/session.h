// The evening as the window holds it: its parts, put together. Whoever works with one of them is given that
// part and no more.
#pragma once

#include "desk/evening/calibration_book.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/focus_book.h"
#include "desk/evening/guide_host.h"
#include "desk/evening/mount_book.h"
#include "edge/devices/prepared_camera.h"
#include "edge/platesolve/star_index.h"

namespace nordstjerna {

// What an evening begins with where none was kept.
struct FirstEvening {
    Rig rig;
    std::string targetName;
    Vec3 target;
};

class Session {
public:
    // What lies in the data folder from the last evening is taken up again.
    Session(std::unique_ptr<Observatory> observatory, const FirstEvening& first,
            std::shared_ptr<StarIndex> index, const std::filesystem::path& dataFolder);
    ~Session();

    ProblemList& problems() { return problems_; }
    EveningStore& evening() { return *evening_; }
    RigBook& rigs() { return *rigs_; }
    TargetBook& targets() { return *targets_; }
    ThisNight& night() { return *night_; }
    Logbook& logbook() { return *logbook_; }
    GuideSettings& settings() { return *settings_; }
    MountDesk& mount() { return *mount_; }
    MountBook& mountBook() { return *mountBook_; }
    CalibrationBook& calibrationBook() { return *calibrationBook_; }
    FocusBook& focusBook() { return *focusBook_; }
    CameraDesk& cameraDesk() { return *cameraDesk_; }
    ProcedureHost& procedures() { return *procedures_; }
    GuideHost& guideHost() { return *guideHost_; }
    PreparedCamera& guideCamera() { return *guideCamera_; }
    // The stars that frames are solved with.
    const std::shared_ptr<StarIndex>& starIndex() const { return index_; }
    // Reads the star index files of a further folder, now and on later evenings; how many were new.
    Expected<int> addIndexFolder(const std::filesystem::path& folder);
    // What is written beside the window.
    WriteQueue& writes() { return *writes_; }

private:
    std::unique_ptr<Observatory> observatory_;
    Devices devices_;
    std::shared_ptr<StarIndex> index_;
    ProblemList problems_;
    std::unique_ptr<WriteQueue> writes_;
    std::unique_ptr<EveningStore> evening_;
    std::unique_ptr<RigBook> rigs_;
    std::unique_ptr<TargetBook> targets_;
    std::unique_ptr<ThisNight> night_;
    std::unique_ptr<Logbook> logbook_;
    std::unique_ptr<PreparedCamera> guideCamera_;
    std::unique_ptr<MountDesk> mount_;
    std::unique_ptr<GuideSettings> settings_;
    std::unique_ptr<MountBook> mountBook_;
    std::unique_ptr<CalibrationBook> calibrationBook_;
    std::unique_ptr<FocusBook> focusBook_;
    std::unique_ptr<CameraDesk> cameraDesk_;
    std::unique_ptr<ProcedureHost> procedures_;
    std::unique_ptr<GuideHost> guideHost_;
};

} // namespace nordstjerna
