#include "edge/devices/wire/wire_message.h"

#include <algorithm>

#include "core/base/number_text.h"
#include "edge/devices/wire/base64.h"
#include "edge/devices/wire/wire_words.h"

namespace nordstjerna {

const WireElement* WireVector::find(const std::string& element) const {
    const auto at = std::find_if(elements.begin(), elements.end(),
                                 [&](const WireElement& e) { return e.name == element; });
    return at == elements.end() ? nullptr : &*at;
}

double WireVector::number(const std::string& element) const {
    const WireElement* e = find(element);
    return e ? e->number : 0.0;
}

bool WireVector::on(const std::string& element) const {
    const WireElement* e = find(element);
    return e && e->on;
}

std::string WireVector::text(const std::string& element) const {
    const WireElement* e = find(element);
    return e ? e->text : std::string();
}

WireMessage wireCommand(const std::string& device, const std::string& name,
                        std::vector<std::pair<std::string, double>> numbers) {
    WireMessage m;
    m.verb = WireMessage::Verb::command;
    m.vector.device = device;
    m.vector.name = name;
    m.vector.kind = WireKind::number;
    for (auto& [element, value] : numbers) {
        WireElement e;
        e.name = std::move(element);
        e.number = value;
        m.vector.elements.push_back(std::move(e));
    }
    return m;
}

WireMessage wireSwitch(const std::string& device, const std::string& name, const std::string& on) {
    WireMessage m = wireCommand(device, name, {{on, 0.0}});
    m.vector.kind = WireKind::switches;
    m.vector.elements.front().on = true;
    return m;
}

WireMessage wireAsk(const std::string& device, const std::string& name) {
    WireMessage m;
    m.vector.device = device;
    m.vector.name = name;
    return m;
}

namespace {

// Also what XML cannot hold at all is left out.
std::string escaped(std::string_view text) {
    std::string safe;
    for (const char c : text)
        switch (c) {
        case '&':
            safe += "&amp;";
            break;
        case '<':
            safe += "&lt;";
            break;
        case '>':
            safe += "&gt;";
            break;
        case '"':
            safe += "&quot;";
            break;
        case '\n':
        case '\t':
            safe += c;
            break;
        default:
            if (static_cast<unsigned char>(c) >= 0x20)
                safe += c;
        }
    return safe;
}

class Writer {
public:
    std::string write(const WireMessage& m) {
        const WireVector& v = m.vector;
        switch (m.verb) {
        case WireMessage::Verb::ask:
            open("getProperties");
            attribute("version", "1.7");
            place(v);
            text_ += "/>\n";
            break;
        case WireMessage::Verb::withdraw:
            open("delProperty");
            place(v);
            attribute("timestamp", v.timestamp);
            attribute("message", m.words);
            text_ += "/>\n";
            break;
        case WireMessage::Verb::remark:
            open("message");
            attribute("device", v.device);
            attribute("timestamp", v.timestamp);
            attribute("message", m.words);
            text_ += "/>\n";
            break;
        case WireMessage::Verb::sendBlobs:
            open("enableBLOB");
            place(v);
            text_ += ">" + std::string(wireWord(m.blobs)) + "</enableBLOB>\n";
            break;
        case WireMessage::Verb::define:
        case WireMessage::Verb::tell:
        case WireMessage::Verb::command:
            vector(m);
        }
        return std::move(text_);
    }

private:
    void open(const std::string& tag) { text_ += "<" + tag; }
    void attribute(const char* name, const std::string& value) {
        if (!value.empty())
            text_ += std::string(" ") + name + "=\"" + escaped(value) + "\"";
    }
    void place(const WireVector& v) {
        attribute("device", v.device);
        attribute("name", v.name);
    }

    void vector(const WireMessage& m) {
        const WireVector& v = m.vector;
        const bool defines = m.verb == WireMessage::Verb::define;
        const std::string tag = std::string(defines                                ? "def"
                                            : m.verb == WireMessage::Verb::command ? "new"
                                                                                   : "set") +
                                wireWord(v.kind) + "Vector";
        open(tag);
        place(v);
        if (defines) {
            attribute("label", v.label);
            attribute("group", v.group);
            if (v.kind != WireKind::lights)
                attribute("perm", v.readable ? v.writable ? "rw" : "ro" : "wo");
            if (v.kind == WireKind::switches)
                attribute("rule", v.exclusive ? "OneOfMany" : "AtMostOne");
        }
        if (m.verb != WireMessage::Verb::command)
            attribute("state", wireWord(v.state));
        attribute("timestamp", v.timestamp);
        attribute("message", m.words);
        text_ += ">\n";
        for (const WireElement& e : v.elements)
            element(v.kind, e, defines);
        text_ += "</" + tag + ">\n";
    }

    void element(WireKind kind, const WireElement& e, bool defines) {
        const std::string tag = std::string(defines ? "def" : "one") + wireWord(kind);
        open(tag);
        attribute("name", e.name);
        if (defines) {
            attribute("label", e.label);
            if (kind == WireKind::number) {
                attribute("format", "%g");
                attribute("min", exactText(e.lowest));
                attribute("max", exactText(e.highest));
                attribute("step", exactText(e.step));
            }
        }
        if (kind == WireKind::blob && e.bytes) {
            attribute("size", std::to_string(e.bytes->size()));
            attribute("format", e.format);
        }
        text_ += ">";
        switch (kind) {
        case WireKind::text:
            text_ += escaped(e.text);
            break;
        case WireKind::number:
            text_ += exactText(e.number);
            break;
        case WireKind::switches:
            text_ += e.on ? "On" : "Off";
            break;
        case WireKind::lights:
            text_ += wireWord(e.light);
            break;
        case WireKind::blob:
            if (e.bytes)
                text_ += toBase64(*e.bytes);
        }
        text_ += "</" + tag + ">\n";
    }

    std::string text_;
};

} // namespace

std::string wireText(const WireMessage& message) {
    return Writer().write(message);
}

} // namespace nordstjerna
