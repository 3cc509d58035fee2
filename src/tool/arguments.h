// What a command takes from the command line: declared once, read by the C library's getopt_long, told by
// --help. Options may stand before, between and behind the other words; each may be given once.
#pragma once

#include <functional>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

namespace nordstjerna {

// What was typed and cannot be meant.
struct WrongUsage : std::runtime_error {
    using std::runtime_error::runtime_error;
};

// Takes one value over, or says what is wrong with it.
using Taken = std::function<void(const std::string&)>;

class Arguments {
public:
    // `command`: the words before its own, "night show"; empty for a program of one command.
    Arguments(std::string command, std::string help, std::string program = "nordstjerna-tool");

    // A value by its place: between `least` and `most` of them.
    void word(const std::string& name, const std::string& help, Taken taken, size_t least = 1,
              size_t most = 1);
    void option(const std::string& name, const std::string& help, Taken taken); // --name VALUE
    void needed(const std::string& name, const std::string& help, Taken taken);
    void flag(const std::string& name, const std::string& help, bool& given);
    // Neither makes sense without the other.
    void together(const std::string& one, const std::string& other);

    const std::string& command() const { return command_; }
    const std::string& about() const { return help_; }
    std::string help() const;
    // The words behind those of the command. False: only help was wanted. Throws WrongUsage.
    bool read(const std::vector<std::string>& words) const;

private:
    struct Option {
        std::string name, help;
        Taken taken;
        bool needed = false;
        bool* flag = nullptr;
    };
    struct Word {
        std::string name, help;
        Taken taken;
        size_t least, most;
    };
    size_t place(const std::string& option) const;

    std::string command_, help_, program_;
    std::vector<Option> options_;
    std::vector<Word> words_;
    std::vector<std::pair<std::string, std::string>> together_;
};

// `name`, and `what` in a column of its own.
std::string helpLine(const std::string& name, const std::string& what, size_t column);

// Within these bounds, both included.
double boundedNumber(const std::string& text, double low, double high);
double numberAboveNought(const std::string& text);
// A whole number from 0 on.
unsigned long long countIn(const std::string& text);
// Throws when it is none of these.
void mustBeOneOf(const std::string& text, const std::vector<std::string>& allowed);

template <typename T>
Taken into(T& to) {
    return [&to](const std::string& text) { to = text; };
}
template <typename T>
Taken into(T& to, double low, double high) {
    return [&to, low, high](const std::string& text) { to = boundedNumber(text, low, high); };
}
// A whole number within bounds.
Taken into(int& to, int low, int high);
// A number above nought.
template <typename T>
Taken positive(T& to) {
    return [&to](const std::string& text) { to = numberAboveNought(text); };
}

} // namespace nordstjerna
