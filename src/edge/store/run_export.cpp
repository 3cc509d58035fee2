#include "edge/store/run_export.h"

#include <fitsio.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <string>
#include <vector>

#include "core/base/number_text.h"
#include "edge/store/append_file.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
struct ExportColumn {
    const char* name;
    const char* unit; // as FITS spells it; empty: none
    int decimals;
    double (*of)(const RunRow&);
};
constexpr ExportColumn exportColumns[] = {
    {"t", "s", 3, [](const RunRow& r) { return r.t_s; }},
    {"dra", "arcsec", 4, [](const RunRow& r) { return r.dra_arcsec; }},
    {"ddec", "arcsec", 4, [](const RunRow& r) { return r.ddec_arcsec; }},
    {"pulse_ra", "ms", 0, [](const RunRow& r) { return r.pulseRa_ms; }},
    {"pulse_dec", "ms", 0, [](const RunRow& r) { return r.pulseDec_ms; }},
    {"snr", "", 1, [](const RunRow& r) { return r.snr; }},
    {"hfd", "pixel", 3, [](const RunRow& r) { return r.hfd_px; }},
    {"flux", "adu", 0, [](const RunRow& r) { return r.flux_adu; }},
    {"stars", "", 0, [](const RunRow& r) { return static_cast<double>(r.stars); }},
    {"centroid", "arcsec", 4, [](const RunRow& r) { return r.centroid_arcsec; }},
    {"worm_turns", "", 5, [](const RunRow& r) { return r.worm_turns; }},
};
constexpr int exportNumbers = static_cast<int>(std::size(exportColumns));

std::string csvCell(const std::string& words) {
    // A spreadsheet takes a text that begins so for a formula, and runs it.
    const bool formula = !words.empty() && std::string("=+-@\t\r").find(words.front()) != std::string::npos;
    const std::string text = (formula ? "'" : "") + words;
    if (text.find_first_of(",\"\r\n") == std::string::npos)
        return text;
    std::string quoted = "\"";
    for (char c : text)
        quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
    return quoted + "\"";
}

std::string csvOf(const Run& run) {
    std::string text;
    for (const ExportColumn& c : exportColumns)
        text += std::string(c.name) + (*c.unit ? std::string("_") + c.unit : std::string()) + ",";
    text += "event\n";
    for (const RunRow& row : run.rows) {
        for (const ExportColumn& c : exportColumns) {
            const double v = c.of(row);
            text += (std::isfinite(v) ? numberText(v, c.decimals) : std::string()) + ",";
        }
        text += csvCell(row.event) + "\n";
    }
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
    size_t longest = 1;
    for (const RunRow& r : run.rows)
        longest = std::max(longest, r.event.size());
    const std::string textForm = std::to_string(longest) + "A";
    std::vector<char*> names;
    std::vector<char*> forms;
    std::vector<char*> units;
    std::vector<std::string> words; // the library wants them writable
    words.reserve(3 * (exportNumbers + 1));
    const auto word = [&](const std::string& w) {
        words.push_back(w);
        return words.back().data();
    };
    for (const ExportColumn& c : exportColumns) {
        names.push_back(word(c.name));
        forms.push_back(word("1D"));
        units.push_back(word(c.unit));
    }
    names.push_back(word("event"));
    forms.push_back(word(textForm));
    units.push_back(word(""));
    fits_create_tbl(f, BINARY_TBL, static_cast<LONGLONG>(run.rows.size()), exportNumbers + 1, names.data(),
                    forms.data(), units.data(), "RUN", &status);
    for (int k = 0; k < exportNumbers && !status; ++k) {
        std::vector<double> values;
        for (const RunRow& r : run.rows)
            values.push_back(exportColumns[k].of(r));
        fits_write_col(f, TDOUBLE, k + 1, 1, 1, static_cast<LONGLONG>(values.size()), values.data(), &status);
    }
    std::vector<std::string> events;
    std::vector<char*> at;
    for (const RunRow& r : run.rows)
        events.push_back(r.event);
    for (std::string& e : events) {
        for (char& c : e)
            if (static_cast<unsigned char>(c) > 126 || static_cast<unsigned char>(c) < 32)
                c = '?'; // FITS knows ASCII only
        at.push_back(e.data());
    }
    if (!at.empty())
        fits_write_col(f, TSTRING, exportNumbers + 1, 1, 1, static_cast<LONGLONG>(at.size()), at.data(),
                       &status);
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
        return problem("The table could not be made.", std::string("The FITS library says: ") + reason + ".",
                       "Save it as CSV.");
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
    return problem("Runs are saved as .ecsv, .csv or .fits.",
                   path.filename().string() + " ends in none of them.", "Choose another name.");
}

} // namespace nordstjerna
