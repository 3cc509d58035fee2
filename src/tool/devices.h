// nordstjerna-tool devices: what a device server offers, and what each can be used for.
#pragma once

#include <string>

#include "tool/tool_json.h"

namespace nordstjerna {

// server: HOST or HOST:PORT. connect: its drivers are asked to connect their devices, and those that do tell
// what they can.
Expected<Json> commandDevices(const std::string& server, bool connect);

} // namespace nordstjerna
