#include "edge/devices/wire/wire_parser.h"

#include <expat.h>

#include <algorithm>
#include <cstring>

#include "core/base/trim.h"
#include "edge/devices/wire/base64.h"
#include "edge/devices/wire/wire_words.h"

namespace nordstjerna {

namespace {

// expat is told that the text is Latin 1, which any byte is: servers send UTF-8, and some of them a stray
// degree sign of an older code. What comes out is turned back into the bytes that came, and these are taken
// as UTF-8 where they are.
bool isUtf8(std::string_view bytes) {
    for (size_t i = 0; i < bytes.size();) {
        const auto c = static_cast<unsigned char>(bytes[i]);
        const size_t more = c < 0x80                ? 0
                            : c >= 0xC2 && c < 0xE0 ? 1
                            : c >= 0xE0 && c < 0xF0 ? 2
                            : c >= 0xF0 && c < 0xF5 ? 3
                                                    : 4;
        if (more == 4 || i + more >= bytes.size())
            return false;
        for (size_t k = 1; k <= more; ++k)
            if ((static_cast<unsigned char>(bytes[i + k]) & 0xC0U) != 0x80U)
                return false;
        i += more + 1;
    }
    return true;
}

std::string readable(std::string_view fromExpat) {
    std::string bytes;
    for (size_t i = 0; i < fromExpat.size(); ++i) {
        const auto c = static_cast<unsigned char>(fromExpat[i]);
        if (c < 0x80) {
            bytes += fromExpat[i];
        } else if (++i < fromExpat.size()) {
            bytes += static_cast<char>((c & 0x03U) << 6 | (static_cast<unsigned char>(fromExpat[i]) & 0x3FU));
        }
    }
    return isUtf8(bytes) ? bytes : std::string(fromExpat);
}

struct Attributes {
    const char** all;
    std::string operator[](const char* name) const {
        for (const char** a = all; *a; a += 2)
            if (std::strcmp(*a, name) == 0)
                return readable(a[1]);
        return {};
    }
    size_t longest() const {
        size_t length = 0;
        for (const char** a = all; *a; ++a)
            length = std::max(length, std::strlen(*a));
        return length;
    }
};

// "defNumberVector" → define, number; absent for tags of another form. One: of its elements.
struct Tag {
    WireMessage::Verb verb = WireMessage::Verb::ask;
    WireKind kind = WireKind::text;
};
std::optional<Tag> vectorTag(std::string_view tag) {
    constexpr std::pair<std::string_view, WireMessage::Verb> beginnings[] = {
        {"def", WireMessage::Verb::define},
        {"set", WireMessage::Verb::tell},
        {"new", WireMessage::Verb::command}};
    constexpr std::string_view ending = "Vector";
    if (!tag.ends_with(ending))
        return std::nullopt;
    for (const auto& [beginning, verb] : beginnings)
        if (tag.starts_with(beginning) && tag.size() > beginning.size() + ending.size())
            if (const auto kind =
                    wireKind(tag.substr(beginning.size(), tag.size() - beginning.size() - ending.size())))
                return Tag{verb, *kind};
    return std::nullopt;
}

bool isElementOf(WireKind kind, std::string_view tag) {
    return (tag.starts_with("def") || tag.starts_with("one")) && wireKind(tag.substr(3)) == kind;
}

} // namespace

struct WireParser::Expat {
    std::function<void(WireMessage&&)> take;
    WireLimits limits;
    XML_Parser parser = nullptr;
    std::string wrong;  // why nothing more can be read
    int depth = 0;      // below the root that we put round it all
    size_t unheard = 0; // bytes since expat last said something

    std::optional<WireMessage> message;
    bool inElement = false, known = true; // known: the present element is wanted
    WireElement element;
    std::string words; // of the present element, but for a BLOB
    FromBase64 blob;
    double announced = -1.0; // bytes of a BLOB, as its attribute says

    void fail(const std::string& why) {
        if (wrong.empty())
            wrong = why;
        XML_StopParser(parser, XML_FALSE);
    }

    void start(const char* tag, Attributes attributes) {
        unheard = 0;
        if (++depth == 1)
            return; // our own root
        if (attributes.longest() > limits.text_bytes)
            return fail("It sent a value of more than " + std::to_string(limits.text_bytes) + " characters.");
        if (depth == 2)
            return startMessage(tag, attributes);
        if (depth > 3)
            return fail("It sent elements within elements where the protocol has none.");
        if (!message)
            return;
        startElement(tag, attributes);
    }

    void startMessage(std::string_view tag, const Attributes& attributes) {
        WireMessage m;
        using Verb = WireMessage::Verb;
        const auto vector = vectorTag(tag);
        if (vector) {
            m.verb = vector->verb;
            m.vector.kind = vector->kind;
        } else if (tag == "getProperties") {
            m.verb = Verb::ask;
        } else if (tag == "delProperty") {
            m.verb = Verb::withdraw;
        } else if (tag == "message") {
            m.verb = Verb::remark;
        } else if (tag == "enableBLOB") {
            m.verb = Verb::sendBlobs;
        } else {
            return; // of a later version: left out
        }
        WireVector& v = m.vector;
        v.device = attributes["device"];
        v.name = attributes["name"];
        v.label = attributes["label"];
        v.group = attributes["group"];
        v.timestamp = attributes["timestamp"];
        m.words = attributes["message"];
        const std::string may = attributes["perm"];
        v.readable = may != "wo";
        v.writable = may != "ro" && v.kind != WireKind::lights;
        v.exclusive = attributes["rule"] == "OneOfMany";
        v.state =
            wireState(attributes["state"]).value_or(m.verb == Verb::tell ? WireState::ok : WireState::idle);
        words.clear();
        message = std::move(m);
    }

    void startElement(std::string_view tag, const Attributes& attributes) {
        known = isElementOf(message->vector.kind, tag);
        inElement = true;
        if (!known)
            return;
        if (message->vector.elements.size() >= limits.elements)
            return fail("It sent more than " + std::to_string(limits.elements) + " values at once.");
        element = {};
        words.clear();
        element.name = attributes["name"];
        element.label = attributes["label"];
        element.format = attributes["format"];
        for (const auto& [name, to] : {std::pair("min", &element.lowest), std::pair("max", &element.highest),
                                       std::pair("step", &element.step)})
            *to = wireNumber(trimmed(attributes[name])).value_or(0.0);
        if (message->vector.kind != WireKind::blob)
            return;
        blob = {};
        announced = wireNumber(trimmed(attributes["size"])).value_or(-1.0);
        if (announced > static_cast<double>(limits.blob_bytes))
            fail("It announced a BLOB of " +
                 std::to_string(static_cast<long long>(std::min(announced, 9e18) / 1e6)) + " MB.");
    }

    void characters(std::string_view text) {
        unheard = 0;
        if (depth == 1 && text.find_first_not_of(" \t\r\n") != std::string_view::npos)
            return fail("It sent words where the protocol has messages.");
        if (!message)
            return;
        if (inElement && message->vector.kind == WireKind::blob) {
            if (known && !blob.take(text, limits.blob_bytes))
                fail("It sent a BLOB that is no base 64, or larger than any frame.");
            return;
        }
        if (words.size() + text.size() > limits.text_bytes)
            return fail("It sent a value of more than " + std::to_string(limits.text_bytes) + " characters.");
        words += text;
    }

    void end() {
        unheard = 0;
        --depth;
        if (!message)
            return;
        if (depth == 2 && inElement) {
            inElement = false;
            if (known)
                endElement();
            words.clear();
        } else if (depth == 1) {
            if (message->verb == WireMessage::Verb::sendBlobs)
                message->blobs = wireBlobs(trimmed(words)).value_or(WireMessage::Blobs::never);
            WireMessage whole = std::move(*message);
            message.reset();
            take(std::move(whole));
        }
    }

    void endElement() {
        WireVector& v = message->vector;
        const std::string value = readable(trimmed(words));
        switch (v.kind) {
        case WireKind::text:
            element.text = value;
            break;
        case WireKind::number: {
            const auto number = wireNumber(value);
            if (!number)
                return; // "nan", or nothing at all: the value is left as it was
            element.number = *number;
            break;
        }
        case WireKind::switches:
            element.on = value == "On";
            break;
        case WireKind::lights:
            element.light = wireState(value).value_or(WireState::idle);
            break;
        case WireKind::blob:
            if (message->verb == WireMessage::Verb::define)
                break;
            if (!blob.whole() || (announced >= 0.0 && element.format.find(".z") == std::string::npos &&
                                  announced != static_cast<double>(blob.bytes().size())))
                return; // cut short: as if it had not come
            element.bytes = std::make_shared<const std::string>(std::move(blob.bytes()));
        }
        v.elements.push_back(std::move(element));
    }
};

WireParser::WireParser(std::function<void(WireMessage&&)> take, WireLimits limits)
    : expat_(std::make_unique<Expat>()) {
    expat_->take = std::move(take);
    expat_->limits = limits;
    expat_->parser = XML_ParserCreate("ISO-8859-1");
    // A message is taken as soon as it is whole; how much may be looked at twice is limited below.
#ifdef EXPAT_DEFERS
    XML_SetReparseDeferralEnabled(expat_->parser, XML_FALSE);
#endif
    XML_SetUserData(expat_->parser, expat_.get());
    XML_SetElementHandler(
        expat_->parser,
        [](void* own, const XML_Char* tag, const XML_Char** attributes) {
            static_cast<Expat*>(own)->start(tag, {attributes});
        },
        [](void* own, const XML_Char*) { static_cast<Expat*>(own)->end(); });
    XML_SetCharacterDataHandler(expat_->parser, [](void* own, const XML_Char* text, int length) {
        static_cast<Expat*>(own)->characters({text, static_cast<size_t>(length)});
    });
    XML_SetStartDoctypeDeclHandler(
        expat_->parser, [](void* own, const XML_Char*, const XML_Char*, const XML_Char*, int) {
            static_cast<Expat*>(own)->fail("It sent a document type, which the protocol does not have.");
        });
    constexpr std::string_view root = "<wire>";
    XML_Parse(expat_->parser, root.data(), static_cast<int>(root.size()), 0);
}

WireParser::~WireParser() {
    XML_ParserFree(expat_->parser);
}

Expected<void> WireParser::read(const char* bytes, size_t count) {
    Expat& e = *expat_;
    constexpr size_t piece = 65536;
    for (size_t at = 0; at < count && e.wrong.empty(); at += piece) {
        const size_t length = std::min(piece, count - at);
        // expat keeps what it cannot tell yet, such as an attribute without an end.
        e.unheard += length;
        if (XML_Parse(e.parser, bytes + at, static_cast<int>(length), 0) == XML_STATUS_ERROR)
            e.fail(std::string("It sent what is no XML: ") + XML_ErrorString(XML_GetErrorCode(e.parser)) +
                   ".");
        else if (e.unheard > e.limits.text_bytes + piece)
            e.fail("It sent a tag without an end.");
        else if (e.depth < 1)
            e.fail("It ended an element that it had not begun.");
    }
    if (!e.wrong.empty())
        return transientProblem(Text::say("The device server cannot be understood."), e.wrong,
                                Text::say("Check that an INDI server listens at this address."));
    return {};
}

} // namespace nordstjerna
