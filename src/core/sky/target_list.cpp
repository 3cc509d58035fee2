#include "core/sky/target_list.h"

#include <algorithm>

#include "core/base/lower_case.h"
#include "core/base/number_text.h"
#include "core/base/trim.h"

namespace nordstjerna {

namespace {
constexpr size_t mostTargets = 2000;

using Cells = std::vector<std::string>;

Cells cellsOf(std::string_view line, char separator) {
    Cells cells(1);
    bool quoted = false;
    for (size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (quoted && c == '"' && i + 1 < line.size() && line[i + 1] == '"')
            cells.back() += line[++i];
        else if (c == '"' && (quoted || trimmed(cells.back()).empty()))
            quoted = !quoted; // seconds of arc stand behind their number
        else if (c == separator && !quoted)
            cells.emplace_back();
        else
            cells.back() += c;
    }
    for (std::string& c : cells)
        c = std::string(trimmed(c));
    return cells;
}

// A tab or a semicolon is there for this alone; a comma may stand within a number.
char separatorOf(std::string_view line) {
    for (const char c : {'\t', ';'})
        if (line.find(c) != std::string_view::npos)
            return c;
    return ',';
}

struct Columns {
    int name = 0, ra = 1, dec = 2, angle = -1;
    bool hours = false; // a plain number for ra is in them
};

std::optional<Columns> titlesIn(const Cells& cells) {
    Columns c{-1, -1, -1, -1, false};
    for (size_t i = 0; i < cells.size(); ++i) {
        const std::string title = lowerCase(cells[i]);
        const auto is = [&](std::initializer_list<const char*> words) {
            return std::find(words.begin(), words.end(), title) != words.end();
        };
        const int at = static_cast<int>(i);
        if (is({"name", "target", "object"}))
            c.name = at;
        else if (is({"ra", "ra_deg", "ra_j2000", "right ascension", "ra_h", "ra_hours"})) {
            c.ra = at;
            c.hours = is({"ra_h", "ra_hours"});
        } else if (is({"dec", "dec_deg", "dec_j2000", "declination"}))
            c.dec = at;
        else if (is({"angle", "angle_deg", "pa", "pa_deg", "position angle"}))
            c.angle = at;
    }
    return c.name >= 0 || (c.ra >= 0 && c.dec >= 0) ? std::optional(c) : std::nullopt;
}

std::string cellAt(const Cells& cells, int column) {
    return column >= 0 && static_cast<size_t>(column) < cells.size() ? cells[static_cast<size_t>(column)]
                                                                     : std::string();
}

std::string withPoint(std::string number, char separator) {
    if (separator != ',')
        std::replace(number.begin(), number.end(), ',', '.');
    return number;
}

Expected<ListedTarget> targetIn(const Cells& cells, const Columns& c, char separator,
                                const ObjectCatalogue& catalogue) {
    ListedTarget t;
    t.name = cellAt(cells, c.name);
    std::string ra = withPoint(cellAt(cells, c.ra), separator);
    const std::string dec = withPoint(cellAt(cells, c.dec), separator);
    if (const auto angle = wholeNumber(withPoint(cellAt(cells, c.angle), separator)); angle)
        t.angle_deg = angle;
    if (ra.empty() && dec.empty()) {
        const SkyObject* known = catalogue.named(t.name);
        if (!known)
            return problem(Text::say("Nothing is known as “%1”.").arg(t.name),
                           Text::say("No coordinates stand beside it."), Text::say("Add them."));
        t.place = known->place;
        return t;
    }
    if (c.hours && wholeNumber(ra))
        ra += "h";
    const auto place = parseCoordinates(ra + ", " + dec);
    if (!place)
        return tl::unexpected(place.error());
    t.place = *place;
    if (t.name.empty())
        t.name = ra + " " + dec;
    return t;
}
} // namespace

Expected<TargetList> parseTargetList(std::string_view text, const ObjectCatalogue& catalogue) {
    if (text.starts_with("\xEF\xBB\xBF")) // as spreadsheets begin a file
        text.remove_prefix(3);
    TargetList list;
    std::optional<Columns> columns;
    int number = 0;
    while (!text.empty()) {
        ++number;
        const size_t end = text.find('\n');
        const std::string_view line = trimmed(text.substr(0, end));
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
        if (line.empty() || line.front() == '#')
            continue;
        const char separator = separatorOf(line);
        const Cells cells = cellsOf(line, separator);
        if (!columns) {
            columns = titlesIn(cells);
            if (columns)
                continue;
            columns = Columns();
        }
        auto target = targetIn(cells, *columns, separator, catalogue);
        if (target) {
            list.targets.push_back(std::move(*target));
        } else if (++list.leftOut == 1) {
            list.firstLeftOut = Text::say("Line %1: %2").arg(number).arg(target.error().what);
        }
        if (list.targets.size() > mostTargets)
            return problem(Text::say("The list is too long."), Text::say("At most 2000 targets are read."),
                           Text::say("Cut it down to those of tonight."));
    }
    if (list.targets.empty())
        return problem(Text::say("No target was found in the list."),
                       list.leftOut > 0 ? list.firstLeftOut : Text::say("It is empty."),
                       Text::say("A target a line: name, right ascension, declination; or a known name."));
    return list;
}

} // namespace nordstjerna
