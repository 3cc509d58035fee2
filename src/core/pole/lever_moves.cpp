#include "core/pole/lever_moves.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <utility>

#include "core/base/format.h"
#include "core/base/lower_case.h"
#include "core/base/number_text.h"
#include "core/base/replace_all.h"

namespace nordstjerna {

namespace {

struct Share {
    double value;
    const char* text; // of a turn
};
constexpr Share shares[] = {{0.1, Text::mark("a tenth")},        {0.125, Text::mark("an eighth")},
                            {0.2, Text::mark("a fifth")},        {0.25, Text::mark("a quarter")},
                            {1.0 / 3, Text::mark("a third")},    {0.5, Text::mark("half")},
                            {2.0 / 3, Text::mark("two thirds")}, {0.75, Text::mark("three quarters")},
                            {0.9, Text::mark("nine tenths")}};

std::string countWords(double f) {
    const int quarters = static_cast<int>(std::lround(4.0 * f));
    static constexpr const char* rest[] = {"", "¼", "½", "¾"};
    return std::to_string(quarters / 4) + rest[quarters % 4];
}

const Share& nearest(double f) {
    return *std::min_element(std::begin(shares), std::end(shares), [f](const Share& a, const Share& b) {
        return std::abs(std::log(a.value / f)) < std::abs(std::log(b.value / f));
    });
}

} // namespace

void LeverMoves::add(const Measured& azimuth_arcmin, const Measured& altitude_arcmin) {
    const Measured now[2] = {azimuth_arcmin, altitude_arcmin};
    double ended[2] = {};
    double jumped[2] = {};
    for (int i = 0; i < 2; ++i) {
        Track& t = track_[i];
        if (!t.known) {
            t = {true, false, now[i], now[i]};
            continue;
        }
        const double step = now[i].value - t.last.value;
        const double quiet = std::max(3.0 * std::hypot(now[i].sigma, t.last.sigma), 0.10);
        const double away = now[i].value - t.rest.value;
        jumped[i] = step;
        if (std::abs(away) > std::max(4.0 * std::hypot(now[i].sigma, t.rest.sigma), 0.15))
            t.moving = true;
        if (t.moving && std::abs(step) < quiet) {
            ended[i] = away;
            t.moving = false;
            t.rest = now[i];
        }
        t.last = now[i];
    }
    if (std::abs(jumped[0]) > 1.0 && std::abs(jumped[1]) > 1.0 &&
        std::min(std::abs(jumped[0]), std::abs(jumped[1])) >
            0.4 * std::max(std::abs(jumped[0]), std::abs(jumped[1])))
        bump_ = true;
    for (int i = 0; i < 2; ++i) {
        // Levers are coupled: what one lever's turn drags along at the other is no move of its own.
        if (ended[i] == 0.0 || std::abs(ended[i]) < 0.15 * std::abs(ended[1 - i]))
            continue;
        moves_.push_back({i == 0 ? Lever::azimuth : Lever::altitude,
                          {ended[i], std::hypot(now[i].sigma, track_[i].rest.sigma)},
                          std::nullopt});
    }
}

bool LeverMoves::nameLast(double turns) {
    if (moves_.empty() || !(turns > 0.0))
        return false;
    moves_.back().turns = turns;
    return true;
}

std::optional<LeverMove> LeverMoves::last(Lever lever) const {
    const auto it = std::find_if(moves_.rbegin(), moves_.rend(),
                                 [lever](const LeverMove& m) { return m.lever == lever; });
    return it == moves_.rend() ? std::nullopt : std::optional<LeverMove>(*it);
}

std::optional<double> LeverMoves::arcminPerTurn(Lever lever) const {
    double way = 0.0;
    double turns = 0.0;
    for (const LeverMove& m : moves_)
        if (m.lever == lever && m.turns) {
            way += std::abs(m.amount_arcmin.value);
            turns += *m.turns;
        }
    return turns > 0.0 ? std::optional<double>(way / turns) : std::nullopt;
}

void LeverMoves::forgetPositions() {
    track_[0] = track_[1] = {};
    bump_ = false;
}

bool LeverMoves::takeBump() {
    return std::exchange(bump_, false);
}

Text turnWords(const LeverMoves& moves, Lever lever, double wanted_arcmin) {
    const double way = std::abs(wanted_arcmin);
    if (const auto perTurn = moves.arcminPerTurn(lever)) {
        const double turns = way / *perTurn;
        if (turns < 0.08)
            return Text::say("the slightest touch");
        if (turns > 0.95)
            return (turns < 1.12 ? Text::say("about %1 turn") : Text::say("about %1 turns"))
                .arg(countWords(turns));
        return (turns > 0.4 && turns < 0.6 ? Text::say("about %1 a turn") : Text::say("about %1 of a turn"))
            .arg(Text::say(nearest(turns).text));
    }
    const auto last = moves.last(lever);
    if (!last || std::abs(last->amount_arcmin.value) < 0.1)
        return {};
    const double f = way / std::abs(last->amount_arcmin.value);
    const bool back = (wanted_arcmin > 0.0) != (last->amount_arcmin.value > 0.0);
    const bool half = f > 0.4 && f < 0.6;
    const Text much = f < 0.08   ? Text::say("the slightest touch")
                      : f > 1.12 ? Text::say("%1 times the last turn").arg(countWords(f))
                      : f > 0.95 ? Text::say("as much as the last turn")
                      : half     ? Text::say("%1 the last turn").arg(Text::say(nearest(f).text))
                                 : Text::say("%1 of the last turn").arg(Text::say(nearest(f).text));
    return back ? Text::say("%1, the other way").arg(much) : much;
}

std::optional<double> parseTurns(const std::string& text) {
    std::string s = lowerCase(text);
    replaceAll(s, "½", " 1/2 ");
    replaceAll(s, "¼", " 1/4 ");
    replaceAll(s, "¾", " 3/4 ");
    replaceAll(s, "⅓", " 1/3 ");
    replaceAll(s, "⅔", " 2/3 ");
    replaceAll(s, ",", ".");
    double total = 0.0;
    bool found = false;
    double pending = 0.0; // a count waiting for its share: "two" thirds
    size_t i = 0;
    while (i < s.size()) {
        const auto c = static_cast<unsigned char>(s[i]);
        if (std::isdigit(c) || c == '.') {
            const auto read = readNumber(std::string_view(s).substr(i));
            if (!read)
                return std::nullopt;
            double v = read->value;
            i += read->length;
            if (i < s.size() && s[i] == '/') {
                const auto below = readNumber(std::string_view(s).substr(i + 1));
                if (!below || !(below->value > 0.0))
                    return std::nullopt;
                v /= below->value;
                i += 1 + below->length;
            }
            total += v;
            found = true;
        } else if (std::isalpha(c)) {
            size_t j = i;
            while (j < s.size() && std::isalpha(static_cast<unsigned char>(s[j])))
                ++j;
            std::string word = s.substr(i, j - i);
            i = j;
            static constexpr struct {
                const char* word;
                double value;
                bool share;
            } known[] = {{"half", 0.5, true},  {"third", 1.0 / 3, true}, {"quarter", 0.25, true},
                         {"fifth", 0.2, true}, {"sixth", 1.0 / 6, true}, {"eighth", 0.125, true},
                         {"tenth", 0.1, true}, {"one", 1, false},        {"two", 2, false},
                         {"three", 3, false},  {"four", 4, false},       {"five", 5, false}};
            if (word.size() > 3 && word.back() == 's')
                word.pop_back();
            bool understood = false;
            if (word == "and") { // "one and a half"
                total += pending;
                pending = 0.0;
            }
            for (const auto& k : known)
                if (word == k.word) {
                    understood = found = true;
                    if (k.share) {
                        total += (pending > 0.0 ? pending : 1.0) * k.value;
                        pending = 0.0;
                    } else {
                        total += pending;
                        pending = k.value;
                    }
                }
            static constexpr const char* fillers[] = {"a",    "an",      "about", "of",  "and",
                                                      "turn", "roughly", "the",   "full"};
            if (!understood && std::none_of(std::begin(fillers), std::end(fillers),
                                            [&](const char* f) { return word == f; }))
                return std::nullopt;
            if (word == "turn" && !found) { // "a turn"
                total = 1.0;
                found = true;
            }
        } else if (std::isspace(c) || c == '~') {
            ++i;
        } else {
            return std::nullopt;
        }
    }
    total += pending;
    return found && total > 0.0 && total < 50.0 ? std::optional<double>(total) : std::nullopt;
}

} // namespace nordstjerna
