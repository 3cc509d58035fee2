// Tables of guide errors from anywhere: delimited text whose columns a person assigns. Nothing is assumed
// silently: what is guessed is a proposal, to be seen beside the first rows before it is used.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/motion/run.h"

namespace nordstjerna {

enum class Separator { comma, semicolon, tab, blanks };

// How the lines are cut into cells.
struct ImportLayout {
    Separator separator = Separator::comma;
    bool decimalComma = false;      // never together with a comma between cells
    int skip = 0;                   // lines before the first row of numbers, the names among them
    std::vector<std::string> names; // of the columns; "column 3" where there are none
    size_t columns = 0;
};

struct ImportPreview {
    ImportLayout layout;                        // proposed
    std::vector<std::vector<std::string>> rows; // the first ones, as they stand
};
// Reads the beginning of the file. Fails when there are no rows of two numbers or more.
Expected<ImportPreview> previewTable(const std::filesystem::path& path, size_t most = 12);
// The same cut otherwise, as the person says.
Expected<ImportPreview> previewTable(const std::filesystem::path& path, Separator separator,
                                     bool decimalComma, size_t most = 12);

enum class TimeKind {
    seconds,      // since any moment
    milliseconds, // the same
    minutes,      // the same
    hours,        // the same
    clock,        // 21:30:05.2, going on past midnight
    date,         // 2026-10-14T21:30:05.2, UTC
    rowNumber     // none: rows come at an even pace
};

struct ImportMapping {
    TimeKind time = TimeKind::seconds;
    int timeColumn = 0;
    double pace_s = 2.0; // of rows without a time
    int raColumn = -1, decColumn = -1;
    double arcsecPerUnit = 1.0;                  // 1 for ″; the scale for pixels
    bool raWest = false, decSouth = false;       // positive to the other side than ours
    int raPulseColumn = -1, decPulseColumn = -1; // ms; −1: none
    bool raPulseEast = false, decPulseSouth = false;
    int snrColumn = -1;
    RunKind kind = RunKind::guided;
    Instant start; // of the first row, unless the time is a date

    bool operator==(const ImportMapping&) const = default;
};

// What the names of the columns suggest, by words of the trade.
ImportMapping proposedMapping(const ImportLayout& layout);

struct Imported {
    Run run;
    size_t rowsLeftOut = 0; // without a number where one is needed
    Text firstLeftOut;      // why, with its line
};
// Fails with fewer than ten rows, times that go back, or columns that are no numbers, naming the line.
Expected<Imported> importTable(const std::filesystem::path& path, const ImportLayout& layout,
                               const ImportMapping& mapping);

// The mapping used last for tables with these column names; kept in a JSON file.
std::optional<ImportMapping> keptMapping(const std::filesystem::path& file, const ImportLayout& layout);
Expected<void> keepMapping(const std::filesystem::path& file, const ImportLayout& layout,
                           const ImportMapping& mapping);

} // namespace nordstjerna
