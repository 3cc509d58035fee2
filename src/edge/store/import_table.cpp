#include "edge/store/import_table.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <fstream>
#include <limits>
#include <string_view>

#include "core/base/lower_case.h"
#include "edge/store/json_reader.h"

namespace nordstjerna {

namespace {
constexpr size_t lookedAt = 200; // lines at the beginning, to find out how it is made
constexpr std::uintmax_t mostBytes = std::uintmax_t{2} << 30;
constexpr size_t fewestRows = 10; // rows

bool separates(char c, Separator s) {
    switch (s) {
    case Separator::comma:
        return c == ',';
    case Separator::semicolon:
        return c == ';';
    case Separator::tab:
        return c == '\t';
    case Separator::blanks:
        break;
    }
    return c == ' ' || c == '\t';
}

std::string_view unquoted(std::string_view v) {
    while (!v.empty() && (v.front() == ' ' || v.front() == '\t'))
        v.remove_prefix(1);
    while (!v.empty() && (v.back() == ' ' || v.back() == '\t' || v.back() == '\r'))
        v.remove_suffix(1);
    if (v.size() >= 2 && v.front() == '"' && v.back() == '"')
        v = v.substr(1, v.size() - 2);
    return v;
}

// Cells of a line; a separator within quotes does not count.
void cut(std::string_view line, Separator separator, std::vector<std::string_view>& cells) {
    cells.clear();
    if (!line.empty() && line.back() == '\r')
        line.remove_suffix(1);
    size_t at = 0;
    const bool blanks = separator == Separator::blanks;
    while (at <= line.size()) {
        if (blanks)
            while (at < line.size() && separates(line[at], separator))
                ++at;
        if (blanks && at >= line.size())
            break;
        size_t end = at;
        bool quoted = false;
        while (end < line.size() && (quoted || !separates(line[end], separator))) {
            quoted ^= line[end] == '"';
            ++end;
        }
        cells.push_back(unquoted(line.substr(at, end - at)));
        at = end + 1;
    }
}

std::optional<double> numberOf(std::string_view cell, bool decimalComma) {
    if (cell.empty() || cell.size() > 60)
        return std::nullopt;
    char buffer[64];
    size_t n = 0;
    for (char c : cell)
        buffer[n++] = decimalComma && c == ',' ? '.' : c;
    const char* from = buffer[0] == '+' ? buffer + 1 : buffer;
    double value = 0.0;
    const auto [end, status] = std::from_chars(from, buffer + n, value);
    if (status != std::errc() || end != buffer + n || !std::isfinite(value))
        return std::nullopt;
    return value;
}

// Seconds of a clock time, or of a date since 1970.
std::optional<double> clockOf(std::string_view cell) {
    const size_t first = cell.find(':');
    if (first == std::string_view::npos)
        return std::nullopt;
    const size_t second = cell.find(':', first + 1);
    const auto part = [&](size_t from, size_t to) { return numberOf(cell.substr(from, to - from), false); };
    const auto h = part(0, first);
    const auto m = part(first + 1, second == std::string_view::npos ? cell.size() : second);
    const auto s = second == std::string_view::npos ? std::optional(0.0) : part(second + 1, cell.size());
    if (!h || !m || !s || *h < 0.0 || *h > 24.0 || *m < 0.0 || *m >= 60.0 || *s < 0.0 || *s >= 61.0)
        return std::nullopt;
    return 3600.0 * *h + 60.0 * *m + *s;
}

std::optional<double> dateOf(std::string_view cell) {
    std::string text(cell);
    if (text.size() > 10 && text[10] == ' ')
        text[10] = 'T';
    const auto t = parseInstant(text);
    return t ? std::optional(t->unix_s) : std::nullopt;
}

bool likeTime(std::string_view cell, bool decimalComma) {
    return numberOf(cell, decimalComma) || clockOf(cell) || dateOf(cell);
}

Expected<std::vector<std::string>> firstLines(const std::filesystem::path& path) {
    std::error_code error;
    if (!std::filesystem::is_regular_file(path, error))
        return problem(Text::say("There is no table %1.").arg(path.string()), "",
                       Text::say("Choose another file."));
    if (std::filesystem::file_size(path, error) > mostBytes)
        return problem(Text::say("%1 is too large.").arg(path.filename().string()),
                       Text::say("More than 2 GB are not read."), Text::say("Cut it into parts."));
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return problem(Text::say("Cannot read %1.").arg(path.string()), "",
                       Text::say("Check the permissions."));
    std::vector<std::string> lines;
    for (std::string line; lines.size() < lookedAt && std::getline(file, line);) {
        if (line.find('\0') != std::string::npos || line.size() > 100000)
            return problem(Text::say("%1 is no text.").arg(path.filename().string()),
                           Text::say("It holds bytes that text does not have."),
                           Text::say("Export it as a table of text."));
        lines.push_back(std::move(line));
    }
    if (!lines.empty() && lines.front().starts_with("\xEF\xBB\xBF"))
        lines.front().erase(0, 3);
    return lines;
}

struct Cut {
    size_t rows = 0;    // of numbers
    size_t columns = 0; // in most of them
    int first = -1;     // line
    double worth = 0.0; // numbers found, less where other things stand between them
};

// How many rows of at least two numbers this way of cutting finds, all of the same width.
Cut tryCut(const std::vector<std::string>& lines, Separator separator, bool decimalComma) {
    std::vector<std::string_view> cells;
    std::vector<std::pair<size_t, int>> widths; // width, first line
    std::vector<size_t> counts;
    std::vector<double> worths;
    for (size_t i = 0; i < lines.size(); ++i) {
        cut(lines[i], separator, cells);
        size_t numbers = 0;
        size_t times = 0;
        for (std::string_view c : cells) {
            numbers += numberOf(c, decimalComma).has_value();
            times += likeTime(c, decimalComma);
        }
        if (times < 2 || numbers < 1 || 2 * times < cells.size())
            continue;
        const auto known = std::find_if(widths.begin(), widths.end(),
                                        [&](const auto& w) { return w.first == cells.size(); });
        const auto k = static_cast<size_t>(known - widths.begin());
        if (known == widths.end()) {
            widths.emplace_back(cells.size(), static_cast<int>(i));
            counts.push_back(0);
            worths.push_back(0.0);
        }
        ++counts[k];
        worths[k] += static_cast<double>(times * times) / static_cast<double>(cells.size());
    }
    Cut best;
    for (size_t k = 0; k < widths.size(); ++k)
        if (counts[k] > best.rows)
            best = {counts[k], widths[k].first, widths[k].second, worths[k]};
    return best;
}

Expected<ImportPreview> previewOf(const std::filesystem::path& path, const std::vector<std::string>& lines,
                                  Separator separator, bool decimalComma, const Cut& found, size_t most) {
    if (found.rows < 2)
        return problem(Text::say("%1 holds no table that can be read so.").arg(path.filename().string()),
                       Text::say("No two rows of numbers of the same width were found."),
                       Text::say("Choose another separator, or look at the file."));
    ImportPreview p;
    p.layout.separator = separator;
    p.layout.decimalComma = decimalComma;
    p.layout.skip = found.first;
    p.layout.columns = found.columns;
    std::vector<std::string_view> cells;
    // The last line before it that has as many cells names the columns.
    for (int i = found.first; i-- > 0 && p.layout.names.empty();) {
        std::string_view line = lines[static_cast<size_t>(i)];
        while (line.starts_with("#") || line.starts_with(" "))
            line.remove_prefix(1);
        cut(line, separator, cells);
        if (cells.size() == found.columns)
            for (std::string_view c : cells)
                p.layout.names.emplace_back(c);
    }
    for (size_t k = p.layout.names.size(); k < found.columns; ++k)
        p.layout.names.push_back("column " + std::to_string(k + 1));
    for (size_t i = static_cast<size_t>(found.first); i < lines.size() && p.rows.size() < most; ++i) {
        cut(lines[i], separator, cells);
        if (cells.size() == found.columns)
            p.rows.emplace_back(cells.begin(), cells.end());
    }
    return p;
}
} // namespace

Expected<ImportPreview> previewTable(const std::filesystem::path& path, size_t most) {
    const auto lines = firstLines(path);
    if (!lines)
        return tl::unexpected(lines.error());
    Cut best;
    Separator separator = Separator::comma;
    bool decimalComma = false;
    constexpr std::pair<Separator, bool> ways[] = {{Separator::tab, false},   {Separator::semicolon, false},
                                                   {Separator::comma, false}, {Separator::semicolon, true},
                                                   {Separator::tab, true},    {Separator::blanks, false},
                                                   {Separator::blanks, true}};
    for (const auto& [s, comma] : ways) {
        const Cut c = tryCut(*lines, s, comma);
        if (c.worth > best.worth) {
            best = c;
            separator = s;
            decimalComma = comma;
        }
    }
    return previewOf(path, *lines, separator, decimalComma, best, most);
}

Expected<ImportPreview> previewTable(const std::filesystem::path& path, Separator separator,
                                     bool decimalComma, size_t most) {
    const auto lines = firstLines(path);
    if (!lines)
        return tl::unexpected(lines.error());
    const bool comma = decimalComma && separator != Separator::comma;
    return previewOf(path, *lines, separator, comma, tryCut(*lines, separator, comma), most);
}

ImportMapping proposedMapping(const ImportLayout& layout) {
    ImportMapping m;
    m.timeColumn = -1;
    const auto has = [](const std::string& name, std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(),
                           [&](const char* w) { return name.find(w) != std::string::npos; });
    };
    for (size_t k = 0; k < layout.names.size(); ++k) {
        const std::string name = lowerCase(layout.names[k]);
        const int column = static_cast<int>(k);
        const bool pulse = has(name, {"pulse", "duration", "correction", "ms"});
        const bool ra = has(name, {"ra"}) && !has(name, {"frame", "rate"});
        const bool dec = has(name, {"dec"});
        if (m.timeColumn < 0 &&
            (has(name, {"time", "utc", "date", "seconds"}) || name == "t" || name == "t_s")) {
            m.timeColumn = column;
            m.time = has(name, {"utc", "date"}) ? TimeKind::date
                     : has(name, {"ms"})        ? TimeKind::milliseconds
                     : has(name, {"min"})       ? TimeKind::minutes
                                                : TimeKind::seconds;
        } else if (ra && pulse && m.raPulseColumn < 0) {
            m.raPulseColumn = column;
        } else if (dec && pulse && m.decPulseColumn < 0) {
            m.decPulseColumn = column;
        } else if (ra && m.raColumn < 0) {
            m.raColumn = column;
        } else if (dec && m.decColumn < 0) {
            m.decColumn = column;
        } else if (has(name, {"snr"}) && m.snrColumn < 0) {
            m.snrColumn = column;
        }
    }
    if (m.timeColumn < 0)
        m.time = TimeKind::rowNumber;
    if (m.raPulseColumn < 0 && m.decPulseColumn < 0)
        m.kind = RunKind::free;
    return m;
}

namespace {
// Of a cell, in seconds; a date since 1970.
std::optional<double> timeOf(std::string_view cell, TimeKind kind, bool decimalComma) {
    if (kind == TimeKind::clock)
        return clockOf(cell);
    if (kind == TimeKind::date)
        return dateOf(cell);
    const auto value = numberOf(cell, decimalComma);
    if (!value)
        return std::nullopt;
    return *value * (kind == TimeKind::milliseconds ? 1e-3
                     : kind == TimeKind::minutes    ? 60.0
                     : kind == TimeKind::hours      ? 3600.0
                                                    : 1.0);
}

Expected<void> checkMapping(const ImportLayout& layout, const ImportMapping& m) {
    const auto inside = [&](int column) { return column >= 0 && column < static_cast<int>(layout.columns); };
    if (!inside(m.raColumn) || !inside(m.decColumn))
        return problem(Text::say("Two columns are needed at least: the errors of RA and Dec."), "",
                       Text::say("Say which columns hold them."));
    if (m.raColumn == m.decColumn)
        return problem(Text::say("RA and Dec cannot be the same column."), "",
                       Text::say("Choose another one for one of them."));
    if (m.time != TimeKind::rowNumber && !inside(m.timeColumn))
        return problem(Text::say("The column of the time is not there."), "",
                       Text::say("Choose one, or say that rows come at a fixed interval."));
    for (int optional : {m.raPulseColumn, m.decPulseColumn, m.snrColumn})
        if (optional >= static_cast<int>(layout.columns))
            return problem(Text::say("A column is named that is not there."),
                           Text::say("The table has %1.").arg(layout.columns),
                           Text::say("Choose another one."));
    if (!(m.arcsecPerUnit > 0.0) || m.arcsecPerUnit > 1000.0 || !(m.pace_s > 0.0))
        return problem(Text::say("The unit of the errors makes no sense."), "",
                       Text::say("Give the scale in arcseconds a pixel."));
    return {};
}
} // namespace

Expected<Imported> importTable(const std::filesystem::path& path, const ImportLayout& layout,
                               const ImportMapping& m) {
    if (auto good = checkMapping(layout, m); !good)
        return tl::unexpected(good.error());
    std::ifstream file(path, std::ios::binary);
    if (!file)
        return problem(Text::say("Cannot read %1.").arg(path.string()), "",
                       Text::say("Check the permissions."));
    Imported result;
    Run& run = result.run;
    run.meta.kind = m.kind;
    run.meta.start = m.start;
    std::vector<std::string_view> cells;
    std::string line;
    long long number = 0;
    std::optional<double> first;
    double before = 0.0;
    double days = 0.0; // of a clock that went past midnight
    const auto leaveOut = [&](const Text& why) {
        if (result.rowsLeftOut++ == 0)
            result.firstLeftOut = Text::say("Line %1: %2").arg(number).arg(why);
    };
    while (std::getline(file, line)) {
        if (++number <= layout.skip || line.empty() || line[0] == '#' || unquoted(line).empty())
            continue;
        cut(line, layout.separator, cells);
        if (cells.size() != layout.columns) {
            leaveOut(Text::say("%1 cells instead of %2.").arg(cells.size()).arg(layout.columns));
            continue;
        }
        const auto cell = [&](int column) { return cells[static_cast<size_t>(column)]; };
        const auto value = [&](int column) {
            return column < 0 ? std::optional(0.0) : numberOf(cell(column), layout.decimalComma);
        };
        double t = static_cast<double>(run.rows.size() + result.rowsLeftOut) * m.pace_s;
        if (m.time != TimeKind::rowNumber) {
            const auto read = timeOf(cell(m.timeColumn), m.time, layout.decimalComma);
            if (!read) {
                leaveOut(Text::say("\"%1\" is no time of this kind.").arg(cell(m.timeColumn).substr(0, 40)));
                continue;
            }
            constexpr double day_s = 86400.0;
            t = *read + days;
            if (m.time == TimeKind::clock && first && t < before - 0.5 * day_s) {
                days += day_s;
                t += day_s;
            }
            if (first && t <= before)
                return problem(Text::say("Times go back in line %1.").arg(number),
                               Text::say("It says %1, which is not after the row before.")
                                   .arg(cell(m.timeColumn).substr(0, 40)),
                               Text::say("Cut the table there, or choose another column for the time."));
        }
        if (!first) {
            first = t;
            if (m.time == TimeKind::date)
                run.meta.start = Instant{t};
        }
        before = t;
        RunRow row;
        row.t_s = t - *first;
        const auto ra = value(m.raColumn);
        const auto dec = value(m.decColumn);
        if (!ra || !dec) {
            // A frame without its star is a row all the same, as ours are.
            row.dra_arcsec = row.ddec_arcsec = std::numeric_limits<double>::quiet_NaN();
            row.events = Happening::lost;
            leaveOut(Text::say("no number where the error should stand; the star is taken as lost there."));
            run.rows.push_back(std::move(row));
            continue;
        }
        row.dra_arcsec = *ra * m.arcsecPerUnit * (m.raWest ? -1.0 : 1.0);
        row.ddec_arcsec = *dec * m.arcsecPerUnit * (m.decSouth ? -1.0 : 1.0);
        row.pulseRa_ms = value(m.raPulseColumn).value_or(0.0) * (m.raPulseEast ? -1.0 : 1.0);
        row.pulseDec_ms = value(m.decPulseColumn).value_or(0.0) * (m.decPulseSouth ? -1.0 : 1.0);
        row.snr = value(m.snrColumn).value_or(0.0);
        row.stars = 1;
        run.rows.push_back(std::move(row));
    }
    const auto measured =
        std::count_if(run.rows.begin(), run.rows.end(), [](const RunRow& r) { return r.measured(); });
    if (measured < static_cast<long>(fewestRows))
        return problem(Text::say("Only %1 rows could be read.").arg(measured),
                       result.firstLeftOut.empty() ? Text::say("Ten are needed.") : result.firstLeftOut,
                       Text::say("Check separator, decimal sign and columns."));
    return result;
}

namespace {
// By the names of its columns a table is known again.
std::string signatureOf(const ImportLayout& layout) {
    std::string text = std::to_string(static_cast<int>(layout.separator)) + (layout.decimalComma ? "," : ".");
    for (const std::string& n : layout.names)
        text += "|" + n;
    return text;
}
} // namespace

std::optional<ImportMapping> keptMapping(const std::filesystem::path& file, const ImportLayout& layout) {
    const auto json = readJsonFile(file);
    const std::string key = signatureOf(layout);
    if (!json || !json->is_object() || !json->contains(key))
        return std::nullopt;
    ImportMapping m;
    int time = 0;
    std::string kind;
    JsonReader r(json->at(key), "a kept mapping");
    r.optional("time", time)
        .optional("time_column", m.timeColumn)
        .optional("pace_s", m.pace_s)
        .optional("ra", m.raColumn)
        .optional("dec", m.decColumn)
        .optional("arcsec_per_unit", m.arcsecPerUnit)
        .optional("ra_west", m.raWest)
        .optional("dec_south", m.decSouth)
        .optional("ra_pulse", m.raPulseColumn)
        .optional("dec_pulse", m.decPulseColumn)
        .optional("ra_pulse_east", m.raPulseEast)
        .optional("dec_pulse_south", m.decPulseSouth)
        .optional("snr", m.snrColumn)
        .optional("kind", kind);
    if (!r.finish() || time < 0 || time > static_cast<int>(TimeKind::rowNumber))
        return std::nullopt;
    m.time = static_cast<TimeKind>(time);
    m.kind = runKindFrom(kind).value_or(RunKind::guided);
    return m;
}

Expected<void> keepMapping(const std::filesystem::path& file, const ImportLayout& layout,
                           const ImportMapping& m) {
    nlohmann::json all = nlohmann::json::object();
    if (auto json = readJsonFile(file); json && json->is_object())
        all = std::move(*json);
    all[signatureOf(layout)] = {{"time", static_cast<int>(m.time)},
                                {"time_column", m.timeColumn},
                                {"pace_s", m.pace_s},
                                {"ra", m.raColumn},
                                {"dec", m.decColumn},
                                {"arcsec_per_unit", m.arcsecPerUnit},
                                {"ra_west", m.raWest},
                                {"dec_south", m.decSouth},
                                {"ra_pulse", m.raPulseColumn},
                                {"dec_pulse", m.decPulseColumn},
                                {"ra_pulse_east", m.raPulseEast},
                                {"dec_pulse_south", m.decPulseSouth},
                                {"snr", m.snrColumn},
                                {"kind", runKindName(m.kind)}};
    return writeJsonFile(file, all);
}

} // namespace nordstjerna
