#include "edge/store/run_export.h"

#include <fitsio.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <functional>
#include <string>
#include <vector>

#include "core/base/csv_text.h"
#include "core/base/number_text.h"
#include "core/motion/run_event_words.h"
#include "edge/store/append_file.h"
#include "edge/store/run_columns.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
std::string csvOf(const Run& run) {
    std::string text;
    const auto columns = runColumns();
    const auto line = [&](const std::function<std::string(const ColumnSpec&)>& cell) {
        for (const ColumnSpec& c : columns)
            text += cell(c) + (&c == &columns.back() ? "\n" : ",");
    };
    line([](const ColumnSpec& c) { return *c.unit ? c.name + ("_" + c.fitsUnit()) : std::string(c.name); });
    for (const RunRow& row : run.rows)
        line([&row](const ColumnSpec& c) {
            if (c.isText())
                return csvCell(eventWords(row.events));
            const double v = c.number(row);
            return std::isfinite(v) ? numberText(v, c.decimals) : std::string();
        });
    return text;
}

// Into memory first, so that the file is there whole or not at all.
Expected<std::string> fitsTableOf(const Run& run) {
    struct Memory {
        void* at = nullptr;
        size_t size = 0;
        ~Memory() { std::free(at); }
    } memory;
    fitsfile* f = nullptr;
    int status = 0;
    constexpr size_t piece = 2880;
    memory.size = piece;
    memory.at = std::malloc(memory.size);
    fits_create_memfile(&f, &memory.at, &memory.size, piece * 64, std::realloc, &status);
    // FITS knows ASCII only.
    std::vector<std::string> events;
    size_t longest = 1;
    for (const RunRow& r : run.rows) {
        events.push_back(eventWords(r.events));
        for (char& c : events.back())
            if (static_cast<unsigned char>(c) > 126 || static_cast<unsigned char>(c) < 32)
                c = '?';
        longest = std::max(longest, events.back().size());
    }
    const auto columns = runColumns();
    const std::string textForm = std::to_string(longest) + "A";
    std::vector<char*> names;
    std::vector<char*> forms;
    std::vector<char*> units;
    std::vector<std::string> words; // the library wants them writable
    words.reserve(3 * columns.size());
    const auto word = [&](const std::string& w) {
        words.push_back(w);
        return words.back().data();
    };
    for (const ColumnSpec& c : columns) {
        names.push_back(word(c.name));
        forms.push_back(word(c.isText() ? textForm : "1D"));
        units.push_back(word(c.fitsUnit()));
    }
    const auto rows = static_cast<LONGLONG>(run.rows.size());
    fits_create_tbl(f, BINARY_TBL, rows, static_cast<int>(columns.size()), names.data(), forms.data(),
                    units.data(), "RUN", &status);
    for (size_t k = 0; k < columns.size() && rows > 0 && !status; ++k) {
        const int at = static_cast<int>(k) + 1;
        if (columns[k].isText()) {
            std::vector<char*> cells;
            for (std::string& e : events)
                cells.push_back(e.data());
            fits_write_col(f, TSTRING, at, 1, 1, rows, cells.data(), &status);
            continue;
        }
        std::vector<double> values;
        for (const RunRow& r : run.rows)
            values.push_back(columns[k].number(r));
        fits_write_col(f, TDOUBLE, at, 1, 1, rows, values.data(), &status);
    }
    const std::string start = formatInstant(run.meta.start);
    fits_write_key(f, TSTRING, "DATE-OBS", const_cast<char*>(start.c_str()), "start of the run, UTC",
                   &status);
    fits_write_key(f, TSTRING, "RUNKIND", const_cast<char*>(runKindName(run.meta.kind)), "", &status);
    // The memory is taken in large pieces; the file ends where its last part does.
    fits_flush_file(f, &status);
    LONGLONG head = 0;
    LONGLONG data = 0;
    LONGLONG end = 0;
    fits_get_hduaddrll(f, &head, &data, &end, &status);
    int closing = 0;
    fits_close_file(f, &closing);
    if (status || closing) {
        char reason[FLEN_STATUS];
        fits_get_errstatus(status ? status : closing, reason);
        fits_clear_errmsg();
        return problem(Text::say("The table could not be made."),
                       Text::say("The FITS library says: %1.").arg(reason), Text::say("Save it as CSV."));
    }
    return std::string(static_cast<const char*>(memory.at), static_cast<size_t>(end));
}
} // namespace

Expected<void> exportRun(const std::filesystem::path& path, const Run& run) {
    const std::string ending = path.extension().string();
    if (ending == ".ecsv")
        return writeRunTable(path, run);
    if (ending == ".csv")
        return writeWhole(path, csvOf(run), false);
    if (ending == ".fits" || ending == ".fit") {
        const auto content = fitsTableOf(run);
        return content ? writeWhole(path, *content, false) : tl::unexpected(content.error());
    }
    return problem(Text::say("Runs are saved as .ecsv, .csv or .fits."),
                   Text::say("%1 ends in none of them.").arg(path.filename().string()),
                   Text::say("Choose another name."));
}

} // namespace nordstjerna
