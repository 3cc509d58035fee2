#include "edge/devices/wire/wire_record.h"

#include <cstring>
#include <nlohmann/json.hpp>

#include "edge/store/file_problems.h"

namespace nordstjerna {

namespace {
constexpr const char* recordFormat = "nordstjerna-wire 1";
constexpr size_t mostRecordWaiting_bytes = 16'000'000;
constexpr size_t mostRecord_bytes = 200'000'000; // a night of commands is a tenth of it
constexpr size_t longestTag = 4096;

// JSON is text and the wire is bytes: each byte is one character.
std::string asText(std::string_view bytes) {
    std::string text;
    text.reserve(bytes.size());
    for (const char c : bytes) {
        const auto b = static_cast<unsigned char>(c);
        if (b < 0x80) {
            text += c;
        } else {
            text += static_cast<char>(0xC0 | (b >> 6));
            text += static_cast<char>(0x80 | (b & 0x3F));
        }
    }
    return text;
}

std::string asBytes(std::string_view text) {
    std::string bytes;
    for (size_t i = 0; i < text.size(); ++i) {
        const auto b = static_cast<unsigned char>(text[i]);
        if (b >= 0xC0 && i + 1 < text.size())
            bytes += static_cast<char>(((b & 0x03) << 6) | (static_cast<unsigned char>(text[++i]) & 0x3F));
        else
            bytes += text[i];
    }
    return bytes;
}
} // namespace

std::string BlobCutter::cut(std::string_view bytes) {
    std::string kept;
    for (const char c : bytes) {
        if (where_ == Where::blob) {
            if (c != '<') {
                ++left_;
                continue;
            }
            kept += "[" + std::to_string(left_) + " bytes left out]";
            where_ = Where::tag;
            tag_ = c;
        } else if (c == '<') {
            where_ = Where::tag;
            tag_ = c;
        } else if (where_ == Where::tag) {
            if (tag_.size() < longestTag)
                tag_ += c;
            if (c == '>') {
                const bool begins = tag_.starts_with("<oneBLOB") && !tag_.ends_with("/>");
                where_ = begins ? Where::blob : Where::outside;
                left_ = 0;
            }
        }
        kept += c;
    }
    return kept;
}

Expected<std::shared_ptr<WireRecord>> WireRecord::begin(const std::filesystem::path& file) {
    std::error_code error;
    std::filesystem::create_directories(file.parent_path(), error);
    std::shared_ptr<WireRecord> record(new WireRecord(file));
    if (!record->out_)
        return problem(Text::say("The wire cannot be recorded: %1 cannot be written.").arg(file.string()),
                       std::string(std::strerror(errno)) + ".",
                       Text::say("Look at the folder and the disk."));
    return record;
}

WireRecord::WireRecord(const std::filesystem::path& file) : file_(file), out_(file, std::ios::binary) {
    out_ << nlohmann::json{{"format", recordFormat}}.dump() << "\n";
    out_.flush();
    writer_ = std::thread([this] { write(); });
}

WireRecord::~WireRecord() {
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
    }
    more_.notify_all();
    writer_.join();
}

size_t WireRecord::lost() const {
    const std::scoped_lock guard(lock_);
    return lost_;
}

void WireRecord::note(const std::string& link, bool sent, std::string_view bytes) {
    WirePiece piece;
    piece.t_s = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun_).count();
    piece.link = link;
    piece.sent = sent;
    {
        const std::scoped_lock guard(lock_);
        piece.text = cutters_[{link, sent}].cut(bytes);
        if (piece.text.empty()) // the middle of a frame
            return;
        if (waiting_ + piece.text.size() > mostRecordWaiting_bytes || written_ > mostRecord_bytes) {
            ++lost_;
            return;
        }
        waiting_ += piece.text.size();
        pieces_.push_back(std::move(piece));
    }
    more_.notify_all();
}

void WireRecord::write() {
    for (;;) {
        WirePiece piece;
        {
            std::unique_lock wait(lock_);
            more_.wait(wait, [this] { return ending_ || !pieces_.empty(); });
            if (pieces_.empty())
                break;
            piece = std::move(pieces_.front());
            pieces_.pop_front();
        }
        const std::string line = nlohmann::json{
            {"t_s", piece.t_s},
            {"link", piece.link},
            {"way", piece.sent ? "to" : "from"},
            {"text",
             asText(piece.text)}}.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
        out_ << line << "\n";
        out_.flush();
        const std::scoped_lock guard(lock_);
        waiting_ -= piece.text.size();
        written_ += line.size();
        if (!out_) {
            ++lost_;
            out_.clear(); // the disk may have room again
        }
    }
}

Expected<std::vector<WirePiece>> readWireRecord(const std::filesystem::path& file) {
    std::ifstream in(file, std::ios::binary);
    const auto damaged = [&](size_t line) {
        return problem(Text::say("%1 is no record of the wire.").arg(file.string()),
                       Text::say("Line %1 cannot be understood.").arg(line),
                       Text::say("Record the wire again."));
    };
    std::string text;
    if (!in || !std::getline(in, text))
        return damaged(1);
    const auto head = nlohmann::json::parse(text, nullptr, false);
    if (!head.is_object() || head.value("format", "") != recordFormat)
        return damaged(1);
    std::vector<WirePiece> pieces;
    for (size_t line = 2; std::getline(in, text); ++line) {
        const auto j = nlohmann::json::parse(text, nullptr, false);
        if (j.is_discarded() && in.eof())
            break; // the program ended while it was written
        if (!j.is_object() || !j.contains("t_s") || !j["t_s"].is_number() || !j.contains("link") ||
            !j["link"].is_string() || !j.contains("way") || !j["way"].is_string() || !j.contains("text") ||
            !j["text"].is_string())
            return damaged(line);
        pieces.push_back({j["t_s"].get<double>(), j["link"].get<std::string>(),
                          j["way"].get<std::string>() == "to", asBytes(j["text"].get<std::string>())});
    }
    return pieces;
}

} // namespace nordstjerna
