// What a person reads, before it is put into words of their language: an English sentence with places for
// what changes, and what stands in them. Core and edge say what there is to say; the window turns it into
// words. Files and the command line keep the English.
//
// A sentence is whole: never one that is put together from halves, since other languages order them
// otherwise. Sentences that follow each other are joined by `then`.
//
//     Text::say("Frames of %1 s cannot be taken.").arg(formatNumber(exposure_s, 1))
//     Text::say("%n frame was lost.|%n frames were lost.", "", lost)
//
// Every literal handed to `say` is found by the command that extracts what is to be translated.
#pragma once

#include <concepts>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace nordstjerna {

// Finds the sentence of another language: by the English one, and by the number where it has one. Places
// (%1 …, %n) stay as they are; of two forms divided by "|" one is chosen already.
using Phrasebook = std::function<std::string(const char* source, std::optional<int> number)>;

// Of "one|many", the one for the number; where there is no number, all of it.
std::string englishForm(const char* source, std::optional<int> number);

class Text {
public:
    Text() = default;
    // Words that are the same in every language: a name, a figure, what a device or a file says.
    Text(std::string words);
    Text(const char (&)[1]) {} // "": nothing

    // `source` is a literal and lives for ever.
    static Text say(const char* source);
    // With a number: "%n frame|%n frames". `comment` is for translators.
    static Text say(const char* source, const char* comment, int number);

    // Of a literal that is kept as it is, for `say` later on: in tables.
    static constexpr const char* mark(const char* source) { return source; }

    // Stands at %1, the next one at %2, and so on.
    Text arg(const Text& what) const;
    Text arg(const std::convertible_to<std::string_view> auto& words) const {
        return arg(Text(std::string(std::string_view(words))));
    }
    Text arg(std::integral auto number) const { return arg(Text(std::to_string(number))); }

    // This and the next, with a space between, or what else stands between parts of a list ("; "); either
    // may be empty.
    Text then(const Text& next, const char* between = " ") const;
    Text& operator+=(const Text& next) { return *this = then(next); }

    // The sentence as a part of another one: its capital small, where it is no abbreviation, and its stop
    // left out.
    Text asClause() const;

    bool empty() const { return !body_; }
    std::string english() const;
    std::string in(const Phrasebook& book) const;
    // The same sentence with the same in its places; no words are equal to a sentence.
    friend bool operator==(const Text& a, const Text& b);
    friend bool operator==(const Text&, const std::string&) = delete;

private:
    struct Body;
    explicit Text(std::shared_ptr<const Body> body) : body_(std::move(body)) {}
    std::shared_ptr<const Body> body_; // never changed; absent: empty
};

} // namespace nordstjerna
