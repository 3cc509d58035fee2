// What the night log remembers of one thing that was done: a run, a series, a measurement.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/findings/finding.h"
#include "core/rig/rig.h"
#include "core/sky/instant.h"

namespace nordstjerna {

enum class EntryKind {
    freeRun,
    guidedRun,
    backlashTest,
    rates,
    pole,
    curve,
    series,
    trial,
    focus,
    rehearsal,
    gears
};
inline constexpr int entryKinds = 11;
const char* entryKindId(EntryKind kind); // "free", stable
std::optional<EntryKind> entryKindWith(const std::string& id);
const char* entryKindWord(EntryKind kind); // "free run"
bool isRun(EntryKind kind);                // has a run table

// A figure worth comparing over nights, by a stable name that carries its unit: "total_rms_arcsec". A σ of 0
// says that none is known.
struct Figure {
    std::string name;
    Measured value;
};

struct SettingNote {
    Instant when;
    std::string setting; // settingId()
    double before = 0.0, after = 0.0;
    std::string origin, reason;
};

struct LogEntry {
    std::string id; // never changes; also the name of its record
    EntryKind kind = EntryKind::freeRun;
    Instant night; // the local noon before
    Instant started;
    std::optional<Instant> ended; // absent: still under way, or never closed
    std::string how;              // it ended
    std::string session;          // of the program that wrote it; see SessionMark
    std::string rigId, rigName, target;
    std::string file; // the table or folder that holds it, relative to the data folder when it lies there
    std::vector<Figure> figures;
    std::vector<Finding> findings;
    std::vector<SettingNote> changes;
    std::string detail; // of its kind, JSON: the calibration, the trial's blocks …
    std::string note;   // by the person
    std::optional<Rig> rig;

    std::optional<Measured> figure(const std::string& name) const;
    double length_s() const { return ended ? *ended - started : 0.0; }
};

// How a figure is shown: its title and unit, and whether less of it is better. Unknown names show as they
// are.
struct FigureLook {
    Text title;       // "total RMS"
    std::string unit; // as formatMeasured takes it
    int decimals = 2;
};
FigureLook figureLook(const std::string& name);
std::string figureText(const Figure& f); // "0.52 ± 0.02″"
// The one figure that sums an entry up; absent where there is none.
std::optional<Figure> headFigure(const LogEntry& entry);

} // namespace nordstjerna
