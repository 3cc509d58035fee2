// The words that the protocol has for kinds, states and ways of sending BLOBs.
#pragma once

#include <optional>
#include <string_view>

#include "edge/devices/wire/wire_message.h"

namespace nordstjerna {

const char* wireWord(WireKind kind);
const char* wireWord(WireState state);
const char* wireWord(WireMessage::Blobs blobs);

// Absent for a word that the protocol does not know.
std::optional<WireKind> wireKind(std::string_view word);
std::optional<WireState> wireState(std::string_view word);
std::optional<WireMessage::Blobs> wireBlobs(std::string_view word);
// As numbers are written there: 1.5, or 12:34:56.7 in sixty parts. Nothing that is not finite.
std::optional<double> wireNumber(std::string_view text);

} // namespace nordstjerna
