// One target for each parser, chosen when it is built (FUZZ_…). Input goes through a file, as it does for
// people.
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>
#include <unistd.h>

#include "core/sky/horizon.h"
#include "core/sky/instant.h"
#include "core/sky/object_catalogue.h"
#include "edge/devices/sim/scenario.h"
#include "edge/devices/wire/wire_parser.h"
#include "edge/store/curve_table.h"
#include "edge/store/entry_json.h"
#include "edge/store/evening_file.h"
#include "edge/store/fits.h"
#include "edge/store/import_table.h"
#include "edge/store/json_reader.h"
#include "edge/store/rig_file.h"
#include "edge/store/run_table.h"
#include "edge/store/series_table.h"

using namespace nordstjerna;

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
#if defined(FUZZ_WIRE)
    WireLimits limits;
    limits.blob_bytes = 100000;
    WireParser parser([](WireMessage&& m) { static_cast<void>(wireText(m)); }, limits);
    // In two pieces, as the wire may cut it.
    const size_t half = size / 2;
    if (parser.read(text.data(), half))
        static_cast<void>(parser.read(text.data() + half, size - half));
#elif defined(FUZZ_HORIZON)
    static_cast<void>(parseHorizon(text));
#elif defined(FUZZ_WORDS)
    static_cast<void>(parseInstant(text));
    static_cast<void>(parseCoordinates(text));
#else
    static const std::filesystem::path path =
        std::filesystem::temp_directory_path() / ("nordstjerna-fuzz-" + std::to_string(::getpid()));
    std::ofstream(path, std::ios::binary) << text;
#if defined(FUZZ_TABLE)
    static_cast<void>(readRunTable(path));
    static_cast<void>(readCalibrationTable(path));
    static_cast<void>(readCurve(path));
#elif defined(FUZZ_SERIES)
    static_cast<void>(readSeriesTable(path));
#elif defined(FUZZ_IMPORT)
    if (const auto preview = previewTable(path))
        static_cast<void>(importTable(path, preview->layout, proposedMapping(preview->layout)));
#elif defined(FUZZ_JSON)
    static_cast<void>(readRig(path));
    static_cast<void>(readScenario(path));
#elif defined(FUZZ_EVENING)
    static_cast<void>(readEvening(path));
#elif defined(FUZZ_ENTRY)
    if (const auto json = readJsonFile(path))
        if (const auto entry = entryFromJson(*json, "an entry"))
            static_cast<void>(entryToJson(*entry));
#elif defined(FUZZ_FITS)
    static_cast<void>(readFits(path));
#endif
#endif
    return 0;
}
