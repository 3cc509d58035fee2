// What goes over the wire, written down: for finding out what a driver does, and for tests that play it
// again. One line of JSON for each piece; frames are cut to their length. Writing is done by a thread of its
// own: whoever sends a pulse never waits for a disk.
#pragma once

#include <condition_variable>
#include <deque>
#include <filesystem>
#include <fstream>
#include <map>
#include <mutex>
#include <string>
#include <string_view>
#include <thread>
#include <vector>

#include "core/base/problem.h"

namespace nordstjerna {

struct WirePiece {
    double t_s = 0.0;  // since the record began
    std::string link;  // "commands", or the camera whose frames came over it
    bool sent = false; // to the server
    std::string text;
};

// Leaves the content of BLOBs out of a stream of XML that comes in pieces of any size.
class BlobCutter {
public:
    std::string cut(std::string_view bytes);

private:
    enum class Where { outside, tag, blobTag, blob } where_ = Where::outside;
    std::string tag_; // as far as it has come
    size_t left_ = 0; // bytes left out of this BLOB
};

class WireRecord {
public:
    static Expected<std::shared_ptr<WireRecord>> begin(const std::filesystem::path& file);
    ~WireRecord();
    WireRecord(const WireRecord&) = delete;
    WireRecord& operator=(const WireRecord&) = delete;

    void note(const std::string& link, bool sent, std::string_view bytes);
    // Pieces that could not be kept: the disk is slow or full.
    size_t lost() const;
    const std::filesystem::path& file() const { return file_; }

private:
    explicit WireRecord(const std::filesystem::path& file);
    void write();
    std::filesystem::path file_;
    std::ofstream out_;
    const std::chrono::steady_clock::time_point begun_ = std::chrono::steady_clock::now();
    mutable std::mutex lock_;
    std::condition_variable more_;
    std::deque<WirePiece> pieces_;
    std::map<std::pair<std::string, bool>, BlobCutter> cutters_;
    size_t waiting_ = 0; // bytes
    size_t lost_ = 0;
    size_t written_ = 0;
    bool ending_ = false;
    std::thread writer_;
};

Expected<std::vector<WirePiece>> readWireRecord(const std::filesystem::path& file);

} // namespace nordstjerna
