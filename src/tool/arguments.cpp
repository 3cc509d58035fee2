#include "tool/arguments.h"

#include <getopt.h>

#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {
constexpr int helpSign = 'h';
constexpr int firstSign = 256; // behind all letters

double numberIn(const std::string& text) {
    const auto value = wholeNumber(text);
    if (!value || !std::isfinite(*value))
        throw WrongUsage("a number is wanted.");
    return *value;
}
} // namespace

Arguments::Arguments(std::string command, std::string help, std::string program)
    : command_(std::move(command)), help_(std::move(help)), program_(std::move(program)) {}

void Arguments::word(const std::string& name, const std::string& help, Taken taken, size_t least,
                     size_t most) {
    words_.push_back({name, help, std::move(taken), least, most});
}

void Arguments::option(const std::string& name, const std::string& help, Taken taken) {
    options_.push_back({name, help, std::move(taken), false, nullptr});
}

void Arguments::needed(const std::string& name, const std::string& help, Taken taken) {
    options_.push_back({name, help, std::move(taken), true, nullptr});
}

void Arguments::flag(const std::string& name, const std::string& help, bool& given) {
    options_.push_back({name, help, {}, false, &given});
}

void Arguments::together(const std::string& one, const std::string& other) {
    together_.emplace_back(one, other);
}

size_t Arguments::place(const std::string& option) const {
    return static_cast<size_t>(
        std::find_if(options_.begin(), options_.end(), [&](const Option& o) { return o.name == option; }) -
        options_.begin());
}

std::string Arguments::help() const {
    std::string text = help_ + "\n\nUsage: " + program_ + (command_.empty() ? "" : " ") + command_;
    for (const Word& w : words_)
        text += (w.least ? " " : " [") + w.name + (w.most > 1 ? "…" : "") + (w.least ? "" : "]");
    text += " [options]\n\n";
    const auto line = [&](const std::string& name, const std::string& what) {
        text += helpLine(name, what, 24);
    };
    for (const Word& w : words_)
        line(w.name, w.help);
    for (const Option& o : options_)
        line("--" + o.name + (o.flag ? "" : " VALUE"), o.help + (o.needed ? " (needed)" : ""));
    line("--help", "this text");
    return text;
}

bool Arguments::read(const std::vector<std::string>& words) const {
    std::vector<::option> known;
    for (size_t i = 0; i < options_.size(); ++i)
        known.push_back({options_[i].name.c_str(), options_[i].flag ? no_argument : required_argument,
                         nullptr, firstSign + static_cast<int>(i)});
    known.push_back({"help", no_argument, nullptr, helpSign});
    known.push_back({nullptr, 0, nullptr, 0});
    // getopt wants words it may move about, behind the name of a program.
    std::vector<std::string> own{command_};
    own.insert(own.end(), words.begin(), words.end());
    std::vector<char*> pointers;
    for (std::string& w : own)
        pointers.push_back(w.data());
    pointers.push_back(nullptr);
    std::vector<std::optional<std::string>> given(options_.size());
    optind = 0; // from the beginning, whatever was read before
    opterr = 0; // we say it ourselves
    while (true) {
        // ":" first: a value that is missing is told apart from an option that nobody knows.
        const int sign =
            getopt_long(static_cast<int>(own.size()), pointers.data(), ":h", known.data(), nullptr);
        if (sign == -1)
            break;
        if (sign == helpSign)
            return false;
        if (sign == ':')
            throw WrongUsage(std::string(pointers[static_cast<size_t>(optind) - 1]) + " needs a value.");
        if (sign == '?') {
            const bool letter = optopt > 0 && optopt < firstSign;
            throw WrongUsage((letter ? std::string("-") + static_cast<char>(optopt)
                                     : std::string(pointers[static_cast<size_t>(optind) - 1])) +
                             " is not known here.");
        }
        const auto which = static_cast<size_t>(sign - firstSign);
        const std::string name = "--" + options_[which].name;
        // getopt takes any beginning of a name for it: a script that does so would break with our next
        // option.
        const char* const* last = &pointers[static_cast<size_t>(optind) - 1];
        const std::string typed = optarg == *last ? *(last - 1) : *last; // the value may be a word of its own
        if (typed.substr(0, typed.find('=')) != name)
            throw WrongUsage(typed + " is not known here; is " + name + " meant?");
        auto& value = given[which];
        if (value)
            throw WrongUsage(name + " is given twice.");
        value = optarg ? optarg : "";
    }
    std::vector<std::string> rest(pointers.begin() + optind, pointers.end() - 1);
    for (size_t i = 0; i < options_.size(); ++i)
        if (options_[i].needed && !given[i])
            throw WrongUsage("--" + options_[i].name + " is needed.");
    for (const auto& [one, other] : together_)
        if (given[place(one)].has_value() != given[place(other)].has_value())
            throw WrongUsage("--" + one + " and --" + other + " belong together.");
    // Each as many as it needs, the last one as many as there are.
    auto next = rest.begin();
    std::vector<std::pair<const Word*, std::string>> placed;
    for (const Word& w : words_) {
        const size_t count = std::min(w.most, static_cast<size_t>(rest.end() - next));
        if (count < w.least)
            throw WrongUsage(w.name + (w.least > 1 ? ": " + numberText(static_cast<double>(w.least), 0) +
                                                         " of them are needed."
                                                   : " is needed."));
        for (size_t i = 0; i < count; ++i)
            placed.emplace_back(&w, *next++);
    }
    if (next != rest.end())
        throw WrongUsage(*next + " is one word too many.");
    for (const auto& [word, text] : placed)
        word->taken(text);
    // In the order of their declaration, not of the command line.
    for (size_t i = 0; i < options_.size(); ++i) {
        if (!given[i])
            continue;
        if (options_[i].flag) {
            *options_[i].flag = true;
            continue;
        }
        try {
            options_[i].taken(*given[i]);
        } catch (const WrongUsage& e) {
            throw WrongUsage("--" + options_[i].name + " " + *given[i] + ": " + e.what());
        }
    }
    return true;
}

std::string helpLine(const std::string& name, const std::string& what, size_t column) {
    return "  " + name + std::string(name.size() < column ? column - name.size() : 1, ' ') + what + "\n";
}

double boundedNumber(const std::string& text, double low, double high) {
    const double value = numberIn(text);
    if (value < low || value > high)
        throw WrongUsage("from " + exactText(low) + " to " + exactText(high) + ", please.");
    return value;
}

double numberAboveNought(const std::string& text) {
    const double value = numberIn(text);
    if (value < 1e-12 || value > 1e12)
        throw WrongUsage("a number above 0 is wanted.");
    return value;
}

unsigned long long countIn(const std::string& text) {
    const bool digits = !text.empty() && text.size() < 20 &&
                        std::all_of(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
    if (!digits)
        throw WrongUsage("a whole number is wanted.");
    return std::stoull(text);
}

void mustBeOneOf(const std::string& text, const std::vector<std::string>& allowed) {
    if (std::find(allowed.begin(), allowed.end(), text) != allowed.end())
        return;
    std::string list;
    for (const std::string& a : allowed)
        list += (list.empty() ? "" : ", ") + a;
    throw WrongUsage("one of " + list + " is wanted.");
}

Taken into(int& to, int low, int high) {
    return [&to, low, high](const std::string& text) {
        const double value = boundedNumber(text, low, high);
        if (value != std::floor(value))
            throw WrongUsage("a whole number is wanted.");
        to = static_cast<int>(value);
    };
}

} // namespace nordstjerna
