#include "core/motion/run_event_words.h"

#include <cmath>
#include <string_view>
#include <utility>

#include "core/base/format.h"
#include "core/base/number_text.h"

namespace nordstjerna {

namespace {

constexpr std::string_view changeWord = "set ";
constexpr std::string_view aimWord = "dither ";
constexpr std::string_view rateWord = "aim moves "; // ″ a minute
constexpr std::string_view noFrameWord = "no frame: ";
constexpr std::string_view clockOnWord = "clock set on by ";
constexpr std::string_view clockBackWord = "clock set back by ";
constexpr std::string_view partBreak = ", ";

constexpr std::pair<Happening, const char*> happenings[] = {
    {Happening::lost, "lost"},
    {Happening::lostStill, "lost still"},
    {Happening::found, "found"},
    {Happening::saturates, "star saturates"},
    {Happening::pulseFailed, "pulse failed"},
    {Happening::gust, "gust"},
    {Happening::bump, "bump"},
    {Happening::clearing, "clearing"},
    {Happening::north, "north"},
    {Happening::south, "south"},
};
constexpr std::pair<LoopState, const char*> states[] = {
    {LoopState::acquiring, "acquiring"}, {LoopState::settling, "settling"},
    {LoopState::steady, "steady"},       {LoopState::unsettled, "not settled"},
    {LoopState::dithering, "dithering"}, {LoopState::runningAway, "runs away"},
};

template <typename Table, typename What>
const char* wordOf(const Table& table, What what) {
    for (const auto& [is, word] : table)
        if (is == what)
            return word;
    return "lost"; // as a state it is told by the frame
}

// Two figures with a blank between them, or a word and a figure.
std::optional<std::pair<std::string, double>> lastNumber(const std::string& text) {
    const size_t blank = text.rfind(' ');
    if (blank == std::string::npos || blank == 0)
        return std::nullopt;
    const auto value = wholeNumber(text.substr(blank + 1));
    return value ? std::optional(std::pair(text.substr(0, blank), *value)) : std::nullopt;
}

std::optional<SkyError> twoNumbers(const std::string& text) {
    const auto dec = lastNumber(text);
    const auto ra = dec ? wholeNumber(dec->first) : std::nullopt;
    return ra ? std::optional(SkyError{*ra, dec->second}) : std::nullopt;
}

std::optional<RunEvent> partFrom(const std::string& part) {
    for (const auto& [what, word] : happenings)
        if (part == word)
            return what;
    for (const auto& [state, word] : states)
        if (part == word)
            return state;
    if (part.starts_with(changeWord))
        if (const auto change = lastNumber(part.substr(changeWord.size())))
            if (const auto key = settingWithId(change->first))
                return ChangedSetting{*key, change->second};
    if (part.starts_with(aimWord))
        if (const auto by = twoNumbers(part.substr(aimWord.size())))
            return AimMove{*by};
    if (part.starts_with(rateWord))
        if (const auto rate = twoNumbers(part.substr(rateWord.size())))
            return AimRate{*rate};
    return std::nullopt;
}

// A word of another maker that tells of a star not followed.
bool tellsOfTrouble(const std::string& text) {
    for (const char* word : {"settl", "dither", "lost", "cloud", "slew", "flip", "runs away"})
        if (text.find(word) != std::string::npos)
            return true;
    return false;
}

RunEvent longPart(const std::string& part) {
    if (part.starts_with(noFrameWord))
        return NoFrame{part.substr(noFrameWord.size())};
    for (const std::string_view word : {clockOnWord, clockBackWord})
        if (part.starts_with(word) && part.ends_with(" s")) {
            const size_t from = word.size();
            if (const auto by = wholeNumber(part.substr(from, part.size() - 2 - from)))
                return ClockSet{word == clockOnWord ? *by : -*by};
        }
    return ForeignNote{part, tellsOfTrouble(part)};
}

std::string joined(const RunEvents& events, std::string (*word)(const RunEvent&)) {
    std::string all;
    for (const RunEvent& event : events.list())
        all.append(all.empty() ? std::string_view() : partBreak).append(word(event));
    return all;
}

std::string wordsOf(const RunEvent& event) {
    if (const auto* what = std::get_if<Happening>(&event))
        return wordOf(happenings, *what);
    if (const auto* state = std::get_if<LoopState>(&event))
        return wordOf(states, *state);
    if (const auto* change = std::get_if<ChangedSetting>(&event))
        return std::string(changeWord) + settingId(change->key) + " " + exactText(change->value);
    if (const auto* move = std::get_if<AimMove>(&event))
        return std::string(aimWord) + exactText(move->by.dra_arcsec) + " " + exactText(move->by.ddec_arcsec);
    if (const auto* rate = std::get_if<AimRate>(&event))
        return std::string(rateWord) + exactText(rate->arcsec_min.dra_arcsec) + " " +
               exactText(rate->arcsec_min.ddec_arcsec);
    if (const auto* none = std::get_if<NoFrame>(&event))
        return std::string(noFrameWord) + none->why;
    if (const auto* clock = std::get_if<ClockSet>(&event))
        return std::string(clock->by_s > 0.0 ? clockOnWord : clockBackWord) +
               numberText(std::abs(clock->by_s), 1) + " s";
    return std::get<ForeignNote>(event).text;
}

std::string wayText(const SkyError& way, const char* unit, int decimals) {
    return formatNumber(std::abs(way.dra_arcsec), decimals) + unit +
           (way.dra_arcsec < 0.0 ? " west, " : " east, ") +
           formatNumber(std::abs(way.ddec_arcsec), decimals) + unit +
           (way.ddec_arcsec < 0.0 ? " south" : " north");
}

std::string textOf(const RunEvent& event) {
    if (const auto* change = std::get_if<ChangedSetting>(&event))
        return settingName(change->key).english() + " " + settingText(change->key, change->value).english();
    if (const auto* move = std::get_if<AimMove>(&event))
        return "dither " + wayText(move->by, "″", 1);
    if (const auto* rate = std::get_if<AimRate>(&event))
        return "aim moves " + wayText(rate->arcsec_min, " ″/min", 2);
    if (const auto* state = std::get_if<LoopState>(&event); state && *state == LoopState::steady)
        return "settled";
    return wordsOf(event);
}

} // namespace

std::string eventWords(const RunEvents& events) {
    return joined(events, wordsOf);
}

std::string eventText(const RunEvents& events) {
    return joined(events, textOf);
}

RunEvents eventsFrom(const std::string& words) {
    RunEvents events;
    // Why there was no frame may hold commas itself: known parts are taken off the end first.
    std::vector<RunEvent> after;
    size_t end = words.size();
    size_t at = 0;
    while (at < end) {
        const size_t comma = words.rfind(partBreak, end - 1);
        if (comma == std::string::npos || comma < at)
            break;
        const auto part = partFrom(words.substr(comma + 2, end - comma - 2));
        if (!part)
            break;
        after.push_back(*part);
        end = comma;
    }
    while (at < end) {
        const bool reason = words.compare(at, noFrameWord.size(), noFrameWord) == 0;
        const size_t comma = reason ? end : std::min(words.find(partBreak, at), end);
        const std::string part = words.substr(at, comma - at);
        const auto known = partFrom(part);
        events.add(known ? *known : longPart(part));
        at = std::min(comma + 2, end);
    }
    for (auto part = after.rbegin(); part != after.rend(); ++part)
        events.add(*part);
    return events;
}

} // namespace nordstjerna
