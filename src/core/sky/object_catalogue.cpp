#include "core/sky/object_catalogue.h"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <cstdlib>
#include <optional>

#include "core/base/lower_case.h"
#include "core/base/number_text.h"
#include "core/base/replace_all.h"

namespace nordstjerna {

namespace {

std::string comparable(std::string_view name) {
    std::string out;
    for (size_t i = 0; i < name.size(); ++i) {
        const auto c = static_cast<unsigned char>(name[i]);
        if (std::isspace(c) || c == '-' || c == '\'')
            continue;
        // Zeros before a number, but not within one.
        const bool digitBefore = !out.empty() && std::isdigit(static_cast<unsigned char>(out.back()));
        const bool digitAfter = i + 1 < name.size() && std::isdigit(static_cast<unsigned char>(name[i + 1]));
        if (c == '0' && !digitBefore && digitAfter)
            continue;
        out += static_cast<char>(std::tolower(c));
    }
    return out;
}

std::vector<std::string_view> split(std::string_view text, char by) {
    std::vector<std::string_view> parts;
    for (;;) {
        const size_t at = text.find(by);
        parts.push_back(text.substr(0, at));
        if (at == std::string_view::npos)
            return parts;
        text.remove_prefix(at + 1);
    }
}

std::optional<double> numberIn(std::string_view text) {
    return wholeNumber(text);
}

// One number of a typed coordinate with what stands before and behind it.
struct Token {
    double value;
    char sign;     // '+', '-' or 0
    char unit;     // 'h', 'm', 's', 'd', '\'', '"', ':' or 0
    bool afterGap; // a comma or semicolon stands before it
};

// What people and programs write beside coordinates; where the declination is named, it begins.
std::string withoutNames(const std::string& text) {
    static const std::pair<const char*, const char*> words[] = {{"right ascension", " "},
                                                                {"declination", ";"},
                                                                {"j2000.0", " "},
                                                                {"j2000", " "},
                                                                {"icrs", " "},
                                                                {"r.a.", " "},
                                                                {"decl.", ";"},
                                                                {"dec.", ";"},
                                                                {"dec", ";"},
                                                                {"ra", " "},
                                                                {"α", " "},
                                                                {"δ", ";"},
                                                                {"(", " "},
                                                                {")", " "},
                                                                {"=", " "},
                                                                {"; :", ";"},
                                                                {";:", ";"}};
    std::string lower = lowerCase(text);
    for (const auto& [word, instead] : words)
        replaceAll(lower, word, instead);
    // "RA: 02:22": the colon of the name went before any number.
    const size_t first = lower.find_first_not_of(" :");
    return first == std::string::npos ? std::string() : lower.substr(first);
}

// Reads the numbers; nothing when something else stands between them.
std::optional<std::vector<Token>> tokens(std::string text) {
    replaceAll(text, "−", "-");
    replaceAll(text, "°", "d");
    replaceAll(text, "º", "d");
    replaceAll(text, "′", "'");
    replaceAll(text, "’", "'");
    replaceAll(text, "″", "\"");
    replaceAll(text, "”", "\"");
    replaceAll(text, "''", "\"");
    // A comma between digits is a decimal sign where points are none, and where it does not part two numbers:
    // "35,639 42,349", but "10,42".
    if (text.find('.') == std::string::npos && text.find(';') == std::string::npos) {
        const auto digit = [&](size_t at) {
            return at < text.size() && std::isdigit(static_cast<unsigned char>(text[at]));
        };
        std::vector<size_t> blanks;
        for (size_t i = 1; i < text.size(); ++i)
            if (text[i] == ',' && digit(i - 1) && digit(i + 1))
                blanks.push_back(i);
        const bool apart = text.find_first_of(" \thms:d'\"") != std::string::npos;
        if (apart && blanks.size() <= 2)
            for (size_t at : blanks)
                text[at] = '.';
    }
    std::vector<Token> list;
    char sign = 0;
    bool gap = false;
    for (size_t i = 0; i < text.size();) {
        const auto c = static_cast<unsigned char>(text[i]);
        if (std::isdigit(c) || c == '.') {
            const auto read = readNumber(std::string_view(text).substr(i));
            if (!read)
                return std::nullopt;
            list.push_back({read->value, sign, 0, gap});
            sign = 0;
            gap = false;
            i += read->length;
        } else if (c == '+' || c == '-') {
            if (sign)
                return std::nullopt;
            sign = static_cast<char>(c);
            ++i;
        } else if (std::isspace(c)) {
            ++i;
        } else if (c == ',' || c == ';') {
            gap = true;
            ++i;
        } else {
            const char unit = static_cast<char>(std::tolower(c));
            if (std::string_view("hmsd'\":").find(unit) == std::string_view::npos || list.empty() ||
                list.back().unit || sign)
                return std::nullopt;
            list.back().unit = unit;
            ++i;
        }
    }
    if (sign)
        return std::nullopt;
    return list;
}

tl::unexpected<Problem> notACoordinate(const Text& why) {
    return problem(
        Text::say("That is not a position on the sky."), why,
        Text::say("Type right ascension and declination like 02 22 33.4 +42 20 57 or 35.639 42.349."));
}

// Degrees (or hours), minutes, seconds.
std::optional<double> sexagesimal(const std::vector<Token>& t, size_t from, size_t to) {
    double value = 0.0;
    double part = 1.0;
    for (size_t i = from; i < to; ++i) {
        if (i > from && (t[i].value >= 60.0 || t[i].sign))
            return std::nullopt;
        if (i + 1 < to && t[i].value != std::floor(t[i].value))
            return std::nullopt; // only the last part may have a fraction
        value += t[i].value * part;
        part /= 60.0;
    }
    return value;
}

} // namespace

Expected<ObjectCatalogue> ObjectCatalogue::parse(std::string_view text) {
    ObjectCatalogue catalogue;
    int line = 0;
    while (!text.empty()) {
        ++line;
        const size_t end = text.find('\n');
        const std::string_view row = text.substr(0, end);
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
        if (row.empty())
            continue;
        const auto cells = split(row, '\t');
        const auto ra = cells.size() == 6 ? numberIn(cells[2]) : std::nullopt;
        const auto dec = cells.size() == 6 ? numberIn(cells[3]) : std::nullopt;
        if (!ra || !dec || cells[0].empty())
            return problem(Text::say("The catalogue of names cannot be read."),
                           Text::say("Line %1 does not have its six columns.").arg(line),
                           Text::say("Install the application again."));
        SkyObject o;
        for (std::string_view name : split(cells[0], '|'))
            o.names.emplace_back(name);
        o.kind = cells[1];
        o.place = {Angle::fromDeg(*ra), Angle::fromDeg(*dec)};
        o.magnitude = numberIn(cells[4]).value_or(99.0);
        o.size_arcmin = cells[5];
        for (const std::string& name : o.names)
            catalogue.keys_.push_back({comparable(name), catalogue.objects_.size()});
        catalogue.objects_.push_back(std::move(o));
    }
    return catalogue;
}

std::vector<const SkyObject*> ObjectCatalogue::search(std::string_view query, size_t most) const {
    const std::string wanted = comparable(query);
    if (wanted.empty())
        return {};
    struct Hit {
        int rank;
        size_t length;
        size_t object;
    };
    std::vector<Hit> hits;
    for (const Key& k : keys_) {
        const size_t at = k.text.find(wanted);
        if (at == std::string::npos)
            continue;
        hits.push_back({k.text == wanted ? 0 : at == 0 ? 1 : 2, k.text.size(), k.object});
    }
    std::sort(hits.begin(), hits.end(), [&](const Hit& a, const Hit& b) {
        if (a.rank != b.rank)
            return a.rank < b.rank;
        // A shorter name is nearer to what was typed so far; the table is in order of brightness.
        if (a.length != b.length && a.rank == 1)
            return a.length < b.length;
        return a.object < b.object;
    });
    std::vector<const SkyObject*> found;
    for (const Hit& h : hits) {
        const SkyObject* o = &objects_[h.object];
        if (std::find(found.begin(), found.end(), o) == found.end())
            found.push_back(o);
        if (found.size() == most)
            break;
    }
    return found;
}

const SkyObject* ObjectCatalogue::named(std::string_view name) const {
    const std::string wanted = comparable(name);
    const auto key = std::find_if(keys_.begin(), keys_.end(), [&](const Key& k) { return k.text == wanted; });
    return wanted.empty() || key == keys_.end() ? nullptr : &objects_[key->object];
}

std::vector<const SkyObject*> ObjectCatalogue::around(const Vec3& icrs, Angle radius, double faintest) const {
    std::vector<const SkyObject*> found;
    const double near = cos(radius);
    for (const SkyObject& o : objects_)
        if ((o.magnitude <= faintest || (o.magnitude > 90.0 && !o.size_arcmin.empty())) &&
            vectorFrom(o.place).dot(icrs) >= near)
            found.push_back(&o);
    std::stable_sort(found.begin(), found.end(), [](const SkyObject* a, const SkyObject* b) {
        const bool starA = a->kind == "star";
        const bool starB = b->kind == "star";
        return starA != starB ? starB : a->magnitude < b->magnitude;
    });
    return found;
}

Expected<Equatorial> parseCoordinates(const std::string& text) {
    const auto t = tokens(withoutNames(text));
    if (!t || t->size() < 2)
        return notACoordinate(Text::say("Two groups of numbers are needed."));
    if (t->size() > 6)
        return notACoordinate(Text::say("There are more than six numbers."));
    if (t->front().afterGap)
        return notACoordinate(Text::say("The right ascension comes first."));
    // The declination begins at a sign, behind a comma, at a degree mark after hours, or in the middle.
    size_t dec = 0;
    for (size_t i = 1; i < t->size() && !dec; ++i)
        if ((*t)[i].sign || (*t)[i].afterGap || (*t)[i].unit == 'd')
            dec = i;
    if (!dec && t->size() % 2 == 0)
        dec = t->size() / 2;
    if (!dec || dec > 3 || t->size() - dec > 3)
        return notACoordinate(Text::say("It is not clear where the declination begins."));
    if ((*t)[0].sign == '-')
        return notACoordinate(Text::say("A right ascension is not negative."));
    const auto first = sexagesimal(*t, 0, dec);
    const auto second = sexagesimal(*t, dec, t->size());
    if (!first || !second)
        return notACoordinate(
            Text::say("Minutes and seconds run from 0 to 59, and only the last part has a fraction."));
    const bool hours = dec > 1 ? (*t)[0].unit != 'd' : (*t)[0].unit == 'h';
    const double ra_deg = hours ? 15.0 * *first : *first;
    const double dec_deg = (*t)[dec].sign == '-' ? -*second : *second;
    if (ra_deg >= 360.0)
        return notACoordinate(hours ? Text::say("Hours run from 0 to 24.")
                                    : Text::say("Degrees of right ascension run from 0 to 360."));
    if (std::abs(dec_deg) > 90.0)
        return notACoordinate(Text::say("Declinations run from −90° to +90°."));
    return Equatorial{Angle::fromDeg(ra_deg), Angle::fromDeg(dec_deg)};
}

} // namespace nordstjerna
