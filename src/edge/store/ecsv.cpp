#include "edge/store/ecsv.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <limits>
#include <optional>

#include "core/base/lower_case.h"
#include "core/base/number_text.h"
#include "edge/store/file_problems.h"

namespace nordstjerna {

int EcsvTable::find(const std::string& name) const {
    for (size_t i = 0; i < columns.size(); ++i)
        if (columns[i].name == name)
            return static_cast<int>(i);
    return -1;
}

namespace {

// Fields of one line; nothing when a quote is left open.
std::optional<std::vector<std::string>> split(const std::string& line, char delimiter) {
    std::vector<std::string> fields;
    std::string field;
    bool quoted = false;
    bool any = false;
    const auto push = [&] {
        fields.push_back(field);
        field.clear();
        any = false;
    };
    for (size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (quoted) {
            if (c == '"' && i + 1 < line.size() && line[i + 1] == '"')
                field += '"', ++i;
            else if (c == '"')
                quoted = false;
            else
                field += c;
        } else if (c == '"') {
            quoted = true;
            any = true;
        } else if (c == delimiter) {
            if (delimiter != ' ' || any)
                push();
        } else if (c != '\r') {
            field += c;
            any = true;
        }
    }
    if (quoted)
        return std::nullopt;
    if (delimiter != ' ' || any)
        push();
    return fields;
}

void flatten(const YAML::Node& from, YAML::Node& to) {
    if (from.IsMap()) {
        for (const auto& entry : from)
            to[entry.first.as<std::string>()] = entry.second;
    } else if (from.IsSequence()) { // !!omap
        for (const auto& item : from)
            if (item.IsMap())
                flatten(item, to);
    }
}

constexpr size_t largestTable = 512UL << 20;
constexpr size_t largestHeader = 1UL << 20;

// Whole lines only: one without its newline was cut and may be any part of what was meant.
class Lines {
public:
    explicit Lines(std::string_view text) : text_(text) {}
    bool next(std::string& line) {
        const size_t end = text_.find('\n');
        if (end == std::string_view::npos)
            return false;
        line.assign(text_.substr(0, end));
        text_.remove_prefix(end + 1);
        return true;
    }

private:
    std::string_view text_;
};

tl::unexpected<Problem> notEcsv(const std::filesystem::path& path, const Text& why) {
    return problem(Text::say("%1 is not a readable run table.").arg(path.string()), why,
                   Text::say("Use an ECSV 1.0 table with the columns and units of the run table."));
}

} // namespace

Expected<EcsvTable> readEcsv(const std::filesystem::path& path) {
    const auto content = readWhole(path, largestTable);
    if (!content)
        return tl::unexpected(content.error());
    Lines file(*content);
    std::string line;
    std::string yaml;
    bool first = true;
    std::string names;
    while (file.next(line)) {
        if (!line.empty() && line.back() == '\r')
            line.pop_back();
        if (line.empty() || line.front() != '#') {
            names = line;
            break;
        }
        if (first && line.find("%ECSV") == std::string::npos)
            return notEcsv(path, Text::say("Its first line is not \"# %ECSV 1.0\"."));
        if (!first)
            yaml += line.substr(std::min<size_t>(line.size(), 2)) + "\n";
        first = false;
        if (yaml.size() > largestHeader)
            return notEcsv(path, Text::say("Its header has no end."));
    }
    if (first)
        return notEcsv(path, Text::say("Its first line is not \"# %ECSV 1.0\"."));
    if (names.empty())
        return notEcsv(path, Text::say("It ends within its header, so that it holds no row."));
    EcsvTable table;
    char delimiter = ' ';
    try {
        const YAML::Node header = YAML::Load(yaml);
        if (header["delimiter"])
            delimiter = header["delimiter"].as<std::string>().at(0);
        for (const auto& c : header["datatype"])
            table.columns.push_back({c["name"].as<std::string>(),
                                     c["unit"] ? c["unit"].as<std::string>() : "",
                                     c["datatype"] ? c["datatype"].as<std::string>() : ""});
        table.meta = YAML::Node(YAML::NodeType::Map);
        if (header["meta"])
            flatten(header["meta"], table.meta);
    } catch (const std::exception& e) {
        return notEcsv(path, Text::say("Its header is not valid YAML: %1.").arg(e.what()));
    }
    if (delimiter != ' ' && delimiter != ',')
        return notEcsv(path, Text::say("Its delimiter is neither a space nor a comma."));
    const auto nameFields = split(names, delimiter);
    if (table.columns.empty() || !nameFields || nameFields->size() != table.columns.size())
        return notEcsv(path, Text::say("The line of names does not match the header."));
    for (size_t i = 0; i < nameFields->size(); ++i)
        if ((*nameFields)[i] != table.columns[i].name)
            return notEcsv(path, Text::say("Column %1 is named differently in header and table.").arg(i + 1));
    size_t number = 0;
    std::optional<size_t> bad;
    while (file.next(line)) {
        ++number;
        if (line.empty() || line == "\r")
            continue;
        const auto fields = split(line, delimiter);
        if (bad)
            return notEcsv(path, Text::say("Row %1 has the wrong number of fields.").arg(*bad));
        if (!fields || fields->size() != table.columns.size()) {
            bad = number;
            continue;
        }
        table.rows.push_back(*fields);
    }
    return table;
}

std::string ecsvNumber(double value, int decimals) {
    return numberText(value, decimals);
}

std::string yamlText(const std::string& value) {
    const bool plain =
        !value.empty() &&
        value.find_first_not_of("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_./ ") ==
            std::string::npos &&
        std::isalpha(static_cast<unsigned char>(value.front())) && value.back() != ' ';
    // Words that YAML takes for something else.
    static constexpr std::array words{"true", "false", "yes", "no", "on", "off", "null", "y", "n"};
    if (plain && std::find(words.begin(), words.end(), lowerCase(value)) == words.end())
        return value;
    std::string quoted = "'";
    for (char c : value)
        quoted += c == '\'' ? std::string("''") : std::string(1, c == '\n' ? ' ' : c);
    return quoted + "'";
}

std::string ecsvText(const std::string& value) {
    if (!value.empty() && value.find_first_of(" \",\n#") == std::string::npos)
        return value;
    std::string quoted = "\"";
    for (char c : value) {
        if (c == '"')
            quoted += '"';
        quoted += c == '\n' ? ' ' : c;
    }
    return quoted + "\"";
}

std::string ecsvHeader(const std::vector<EcsvColumn>& columns, const std::vector<std::string>& metaLines) {
    std::string text = "# %ECSV 1.0\n# ---\n# datatype:\n";
    for (const EcsvColumn& c : columns)
        text += "# - {name: " + yamlText(c.name) + (c.unit.empty() ? "" : ", unit: " + yamlText(c.unit)) +
                ", datatype: " + yamlText(c.datatype) + "}\n";
    text += "# meta:\n";
    for (const std::string& line : metaLines)
        text += "#   " + line + "\n";
    text += "# schema: astropy-2.0\n";
    for (size_t i = 0; i < columns.size(); ++i)
        text += (i ? " " : "") + ecsvText(columns[i].name);
    return text + "\n";
}

Expected<std::vector<double>> ecsvNumbers(const EcsvTable& table, const std::string& name,
                                          const std::string& unit) {
    const int column = table.find(name);
    if (column < 0)
        return problem(
            Text::say("The table has no column \"%1\".").arg(name),
            Text::say("It is needed for this computation."),
            Text::say("Add the column, in %1.").arg(unit.empty() ? Text::say("plain numbers") : unit));
    const std::string& have = table.columns[static_cast<size_t>(column)].unit;
    if (!unit.empty() && !have.empty() && have != unit && !(unit == "pix" && have == "pixel"))
        return problem(Text::say("Column \"%1\" is in %2.").arg(name).arg(have),
                       Text::say("It must be in %1.").arg(unit), Text::say("Convert the column."));
    std::vector<double> values;
    for (size_t r = 0; r < table.rows.size(); ++r) {
        const std::string& cell = table.rows[r][static_cast<size_t>(column)];
        double v = std::numeric_limits<double>::quiet_NaN();
        if (!cell.empty() && cell != "nan" && cell != "NaN") {
            if (const auto read = wholeNumber(cell))
                v = *read;
            else
                return problem(Text::say("Row %1 of column \"%2\" is not a number: \"%3\".")
                                   .arg(r + 1)
                                   .arg(name)
                                   .arg(cell),
                               "", Text::say("Correct the table."));
        }
        values.push_back(v);
    }
    return values;
}

} // namespace nordstjerna
