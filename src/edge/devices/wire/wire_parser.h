// Bytes from the wire into messages. Nothing is believed before it is looked at: depth, lengths, counts and
// sizes have their limits, numbers must be finite, and what the protocol does not know is left out. XML
// itself is read by expat.
#pragma once

#include <functional>
#include <memory>

#include "core/base/problem.h"
#include "edge/devices/wire/wire_message.h"

namespace nordstjerna {

struct WireLimits {
    size_t blob_bytes = 400'000'000; // a frame of 100 Mpx with 32 bits
    size_t text_bytes = 64'000;      // of one value or attribute
    size_t elements = 500;           // of one vector
};

class WireParser {
public:
    explicit WireParser(std::function<void(WireMessage&&)> take, WireLimits limits = {});
    ~WireParser();
    WireParser(const WireParser&) = delete;
    WireParser& operator=(const WireParser&) = delete;

    // Calls `take` for each message that is complete. A failure is final: what follows cannot be understood.
    Expected<void> read(const char* bytes, size_t count);

private:
    struct Expat;
    std::unique_ptr<Expat> expat_;
};

} // namespace nordstjerna
