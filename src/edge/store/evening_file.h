// Where a person was: what the program must know to go on after a crash, or the next evening. One JSON file
// in the data folder, format "nordstjerna-evening 1".
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <vector>

#include "core/focus/heat.h"
#include "core/guide/guide_loop.h"
#include "core/guide/settings_book.h"
#include "core/review/season.h"
#include "core/rig/rig.h"
#include "core/series/night_plan.h"
#include "core/series/series_setup.h"
#include "core/sky/directions.h"

namespace nordstjerna {

// A target and how it is to lie on the imaging sensor.
struct NotedTarget {
    std::string name;
    Equatorial place;
    std::optional<double> angle_deg; // wanted position angle of the sensor's +y, north through east
};

// A series that has not come to its end: the program was stopped in the middle, a device failed, it rained.
struct BrokenSeries {
    std::string targetName;
    Equatorial target;
    TargetMotion motion;
    std::string opticsId;               // it was taken with
    std::map<std::string, double> plan; // by the names of its fields
    std::string folder;                 // of its frames
    std::uint64_t seed = 1;             // of its dithers
    SeriesEarlier done;
    std::optional<double> roll_deg; // of the sensor on the sky
    Instant last;                   // when this was so
    std::string why;                // it ended; empty: nobody was there to say
};

struct Evening {
    using Fields = std::map<std::string, double>;
    std::optional<Rig> rig; // with edits that were not saved
    std::string targetName;
    std::optional<Equatorial> target;
    struct Setting {
        std::string id; // settingId()
        double value = 0.0;
        std::string origin, reason;
    };
    // For each rig: the settings of its loop that differ from the defaults.
    std::map<std::string, std::vector<Setting>> settings;
    std::string station;
    std::string theme;
    bool findings = true; // the panel stands open
    bool alarmSound = true;
    std::string windowPlace; // as the window library writes it
    // For each mount: whether Dec pulses work the other way on the other side of the pier, once it was seen.
    std::map<std::string, bool> decReverses;
    // For each mount: what its runs taught the guide loop.
    std::map<std::string, LoopPriors> taught;
    // For each set of optics: the plan of its last series, by the names of its fields. And where frames go.
    std::map<std::string, Fields> seriesPlan;
    std::string frameFolder;
    std::string indexFolder; // further star index files
    // For each set of optics and camera ("imaging", "guide"): what its focus runs found, oldest first.
    std::map<std::string, std::map<std::string, std::vector<FocusedOnce>>> focused;
    // Targets that follow the present one, in this order, each with the frames that are wanted of it.
    std::vector<FollowingTarget> following;
    // Tonight's targets, in the order they were noted.
    std::vector<NotedTarget> targets;
    // For each set of optics: how the target is centred, by the names of the fields (tolerance, settling …).
    std::map<std::string, Fields> centring;
    // For each mount: how sightings of the pole are taken, by the names of the fields.
    std::map<std::string, Fields> sightings;
    std::optional<BrokenSeries> broken;
    // Of a target, by its name: the usable light that is wanted of it, hours.
    std::map<std::string, double> wantedLight_h;
    // For each mount: what was done to it, in order of time.
    std::map<std::string, std::vector<HardwareMark>> marks;
};

// Where that of a data folder lies.
std::filesystem::path eveningPath(const std::filesystem::path& dataFolder);
// Unknown keys are passed over: a newer program may have written it.
Expected<Evening> readEvening(const std::filesystem::path& path);
Expected<void> writeEvening(const std::filesystem::path& path, const Evening& evening);

} // namespace nordstjerna
