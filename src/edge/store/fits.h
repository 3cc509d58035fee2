// Frames as FITS files (FITS standard 4.0, through cfitsio).
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <variant>
#include <vector>

#include "core/base/problem.h"
#include "core/image/frame.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

// Reads the first image of the file, whatever its number type; colour planes are averaged. Keywords used
// where present: DATE-OBS, EXPTIME or EXPOSURE, XPIXSZ, XBINNING, FOCALLEN, RA/DEC (degrees) or
// OBJCTRA/OBJCTDEC, EGAIN, SATURATE, INSTRUME, SITELAT and SITELONG (or LAT-OBS and LONG-OBS), SITEELEV.
// Sensor pixels: the first one is (0, 0) here and (1, 1) in the file.
Expected<Frame> readFits(const std::filesystem::path& path);
// What its header tells: sizes and information, no pixels.
Expected<Frame> readFitsHeader(const std::filesystem::path& path);
// The same from memory, and into it; name: what it is called where something is wrong with it.
Expected<Frame> readFitsBytes(const std::string& bytes, const std::string& name);
Expected<std::string> fitsBytes(const Frame& frame);
// From a file, to be handed round.
Expected<std::shared_ptr<const Frame>> readSharedFits(const std::filesystem::path& path);

// A further keyword of a header: a number with so many places, or a text.
struct FitsCard {
    std::string key;
    std::variant<double, std::string> value;
    int decimals = 3;
    std::string comment;
};

// Writes 16-bit counts with the standard keywords and these; never overwrites.
Expected<void> writeFits(const std::filesystem::path& path, const Frame& frame,
                         const std::vector<FitsCard>& cards = {});

// Keywords of the first image's header as texts; those that are not there, or all of a file that cannot be
// read, are absent.
std::map<std::string, std::string> readFitsKeys(const std::filesystem::path& path,
                                                const std::vector<std::string>& keys);

// Copies a FITS file and puts the solution's WCS into the copy's first image; never overwrites.
Expected<void> copyWithWcs(const std::filesystem::path& from, const std::filesystem::path& to,
                           const SolvedFrame& solved);

} // namespace nordstjerna
