#include "core/base/text.h"

#include <cctype>
#include <string_view>

namespace nordstjerna {

namespace {
std::string filled(const std::string& sentence, const std::vector<std::string>& what,
                   std::optional<int> number) {
    std::string all;
    for (size_t i = 0; i < sentence.size(); ++i) {
        const char next = i + 1 < sentence.size() ? sentence[i + 1] : ' ';
        if (sentence[i] != '%' || (next != 'n' && std::isdigit(static_cast<unsigned char>(next)) == 0)) {
            all += sentence[i];
            continue;
        }
        ++i;
        const auto place = static_cast<size_t>(next - '1');
        if (next == 'n' && number)
            all += std::to_string(*number);
        else if (next != 'n' && place < what.size())
            all += what[place];
        else
            all += {'%', next}; // nothing stands there
    }
    return all;
}

bool isCapital(const std::string& text, size_t k) {
    return k < text.size() && text[k] >= 'A' && text[k] <= 'Z';
}

std::string clauseOf(std::string sentence) {
    if (sentence.ends_with('.'))
        sentence.pop_back();
    if (isCapital(sentence, 0) && !isCapital(sentence, 1)) // RA stays RA
        sentence[0] = static_cast<char>(sentence[0] - 'A' + 'a');
    return sentence;
}
} // namespace

std::string englishForm(const char* source, std::optional<int> number) {
    const std::string_view all = source;
    const size_t bar = number ? all.find('|') : std::string_view::npos;
    if (bar == std::string_view::npos)
        return std::string(all);
    return std::string(*number == 1 ? all.substr(0, bar) : all.substr(bar + 1));
}

struct Text::Body {
    enum Kind { sentence, said, sequence, clause };
    explicit Body(Kind k) : kind(k) {}
    Kind kind;
    const char* source = ""; // sentence
    std::optional<int> number;
    std::string words;       // themselves; of a sequence, what stands between its parts
    std::vector<Text> parts; // what stands in the places; or what follows each other; or the sentence
};

Text::Text(std::string words) {
    if (words.empty())
        return;
    auto body = std::make_shared<Body>(Body::said);
    body->words = std::move(words);
    body_ = std::move(body);
}

Text Text::say(const char* source) {
    if (*source == '\0')
        return {};
    auto body = std::make_shared<Body>(Body::sentence);
    body->source = source;
    return Text(std::move(body));
}

Text Text::say(const char* source, const char*, int number) {
    auto body = std::make_shared<Body>(Body::sentence);
    body->source = source;
    body->number = number;
    return Text(std::move(body));
}

Text Text::arg(const Text& what) const {
    if (!body_)
        return {};
    auto body = std::make_shared<Body>(*body_);
    body->parts.push_back(what);
    return Text(std::move(body));
}

Text Text::then(const Text& next, const char* between) const {
    if (!body_ || !next.body_)
        return body_ ? *this : next;
    auto body = std::make_shared<Body>(Body::sequence);
    body->words = between;
    for (const Text* part : {this, &next})
        if (part->body_->kind == Body::sequence && part->body_->words == between)
            body->parts.insert(body->parts.end(), part->body_->parts.begin(), part->body_->parts.end());
        else
            body->parts.push_back(*part);
    return Text(std::move(body));
}

Text Text::asClause() const {
    if (!body_)
        return {};
    auto body = std::make_shared<Body>(Body::clause);
    body->parts.push_back(*this);
    return Text(std::move(body));
}

std::string Text::english() const {
    static const Phrasebook asItIs = englishForm;
    return in(asItIs);
}

std::string Text::in(const Phrasebook& book) const {
    if (!body_)
        return {};
    if (body_->kind == Body::said)
        return body_->words;
    std::vector<std::string> parts;
    parts.reserve(body_->parts.size());
    for (const Text& part : body_->parts)
        parts.push_back(part.in(book));
    if (body_->kind == Body::clause)
        return clauseOf(parts.front());
    if (body_->kind == Body::sentence)
        return filled(book(body_->source, body_->number), parts, body_->number);
    std::string all;
    for (const std::string& part : parts)
        all += (all.empty() || part.empty() ? "" : body_->words) + part;
    return all;
}

bool operator==(const Text& a, const Text& b) {
    if (a.body_ == b.body_)
        return true;
    if (!a.body_ || !b.body_)
        return false;
    const Text::Body& x = *a.body_;
    const Text::Body& y = *b.body_;
    return x.kind == y.kind && std::string_view(x.source) == y.source && x.number == y.number &&
           x.words == y.words && x.parts == y.parts;
}

} // namespace nordstjerna
