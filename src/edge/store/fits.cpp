#include "edge/store/fits.h"

#include <fitsio.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <optional>

#include "core/base/format.h"
#include "core/base/number_text.h"
#include "edge/store/append_file.h"
#include "edge/store/file_problems.h"

namespace nordstjerna {

namespace {

struct CloseFits {
    void operator()(fitsfile* f) const {
        int status = 0;
        fits_close_file(f, &status);
    }
};
using FitsFile = std::unique_ptr<fitsfile, CloseFits>;

tl::unexpected<Problem> fitsProblem(const Text& what, int status, const Text& remedy) {
    char reason[FLEN_STATUS];
    fits_get_errstatus(status, reason);
    fits_clear_errmsg();
    return problem(what, Text::say("The FITS library says: %1.").arg(reason), remedy);
}

Expected<FitsFile> open(const std::filesystem::path& path, int mode) {
    if (const auto ordinary = ordinaryOrAbsent(path, Text::say("Name a FITS file.")); !ordinary)
        return tl::unexpected(ordinary.error());
    fitsfile* raw = nullptr;
    int status = 0;
    // The plain disk-file opener: brackets in a name are part of the name.
    fits_open_diskfile(&raw, path.c_str(), mode, &status);
    if (status)
        return fitsProblem(Text::say("Cannot open %1.").arg(path.string()), status,
                           Text::say("Check that the file exists and is a FITS file."));
    return FitsFile(raw);
}

// The first header unit with a picture of at least two axes.
bool moveToImage(fitsfile* f) {
    int status = 0;
    int count = 0;
    fits_get_num_hdus(f, &count, &status);
    for (int i = 1; i <= count && !status; ++i) {
        int type = 0;
        fits_movabs_hdu(f, i, &type, &status);
        int axes = 0;
        if (!status && (type == IMAGE_HDU || fits_is_compressed_image(f, &status))) {
            fits_get_img_dim(f, &axes, &status);
            if (axes >= 2)
                return true;
        }
    }
    return false;
}

std::optional<double> number(fitsfile* f, const char* key) {
    int status = 0;
    double v = 0.0;
    fits_read_key(f, TDOUBLE, key, &v, nullptr, &status);
    fits_clear_errmsg();
    return status ? std::nullopt : std::optional<double>(v);
}

std::optional<std::string> text(fitsfile* f, const char* key) {
    int status = 0;
    char v[FLEN_VALUE];
    fits_read_key(f, TSTRING, key, v, nullptr, &status);
    fits_clear_errmsg();
    return status ? std::nullopt : std::optional<std::string>(v);
}

// "02 22 33.4" or "-42:20:50": degrees or hours, as the caller knows.
std::optional<double> sexagesimal(const std::string& s) {
    double size = 0.0;
    double unit = 1.0;
    int parts = 0;
    for (size_t i = s.find_first_not_of(" :"); i != std::string::npos && parts < 3; ++parts) {
        const auto read = readNumber(std::string_view(s).substr(i));
        if (!read)
            return std::nullopt;
        size += std::abs(read->value) * unit;
        unit /= 60.0;
        i = s.find_first_not_of(" :", i + read->length);
    }
    if (parts < 2)
        return std::nullopt;
    return s.find('-') != std::string::npos ? -size : size;
}

std::optional<Equatorial> pointing(fitsfile* f) {
    const auto ra = number(f, "RA");
    const auto dec = number(f, "DEC");
    if (ra && dec)
        return Equatorial{Angle::fromDeg(*ra), Angle::fromDeg(*dec)};
    const auto objectRa = text(f, "OBJCTRA");
    const auto objectDec = text(f, "OBJCTDEC");
    if (objectRa && objectDec) {
        const auto hours = sexagesimal(*objectRa);
        const auto degrees = sexagesimal(*objectDec);
        if (hours && degrees)
            return Equatorial{Angle::fromHours(*hours), Angle::fromDeg(*degrees)};
    }
    return std::nullopt;
}

// Degrees as a number or as "58 21 00".
std::optional<double> degrees(fitsfile* f, const char* key) {
    if (const auto v = number(f, key))
        return v;
    const auto t = text(f, key);
    return t ? sexagesimal(*t) : std::nullopt;
}

std::optional<Site> siteOf(fitsfile* f) {
    for (const auto& [latitudeKey, longitudeKey] :
         {std::pair("SITELAT", "SITELONG"), std::pair("LAT-OBS", "LONG-OBS")}) {
        const auto latitude = degrees(f, latitudeKey);
        const auto longitude = degrees(f, longitudeKey);
        if (!latitude || !longitude || std::abs(*latitude) > 90.0 || std::abs(*longitude) > 360.0)
            continue;
        Site site;
        site.latitude = Angle::fromDeg(*latitude);
        site.longitude = Angle::fromDeg(*longitude);
        site.height_m = number(f, "SITEELEV").value_or(0.0);
        return site;
    }
    return std::nullopt;
}

// Without a keyword: a level that several pixels share at the very top is where the converter or the well
// ends.
double saturationOf(const Frame& frame, int bitpix) {
    const float top = *std::max_element(frame.pixels.begin(), frame.pixels.end());
    const auto shared = std::count(frame.pixels.begin(), frame.pixels.end(), top);
    if (shared >= 9 && top > 200.0F)
        return top;
    return bitpix == BYTE_IMG ? 255.0 : std::max(65535.0, double(top) + 1.0);
}

} // namespace

namespace {
// path: what it is called where something is wrong; length: bytes that it can hold at most, if known.
Expected<Frame> readImage(fitsfile* f, const std::filesystem::path& path, std::optional<double> length,
                          bool withPixels) {
    if (!moveToImage(f))
        return problem(Text::say("There is no picture in %1.").arg(path.string()),
                       Text::say("None of its parts is an image of two axes."),
                       Text::say("Choose a frame from a camera."));
    int status = 0;
    int axes = 0;
    long size[3] = {1, 1, 1};
    fits_get_img_dim(f, &axes, &status);
    fits_get_img_size(f, 3, size, &status);
    int bitpix = 0;
    fits_get_img_type(f, &bitpix, &status);
    if (status || size[0] < 1 || size[1] < 1 || size[0] > 60000 || size[1] > 60000)
        return problem(Text::say("The picture in %1 has an impossible size.").arg(path.string()), "",
                       Text::say("Choose another frame."));
    const long planes = axes > 2 ? std::max(1L, size[2]) : 1;
    // What a header claims is held against what the file can hold, before memory is asked for.
    int compressed = fits_is_compressed_image(f, &status);
    const double claimed =
        static_cast<double>(size[0]) * static_cast<double>(size[1]) * static_cast<double>(planes);
    const double needed = compressed ? claimed / 500.0 : claimed * std::abs(bitpix) / 8.0;
    constexpr double mostPixels = 4e8;
    const Text pixels = (planes > 1 ? Text::say("%1 × %2 pixels in %3 planes") : Text::say("%1 × %2 pixels"))
                            .arg(size[0])
                            .arg(size[1])
                            .arg(planes);
    if (status || planes > 16 || claimed > mostPixels || (length && needed > *length))
        return problem(Text::say("The picture in %1 cannot be what its header says.").arg(path.string()),
                       length && needed > *length ? Text::say("%1 do not fit into a file of %2 MB.")
                                                        .arg(pixels)
                                                        .arg(formatNumber(*length / 1e6, 2))
                                                  : Text::say("%1 are more than any camera has.").arg(pixels),
                       Text::say("The file is damaged or cut short; copy it again or take another frame."));
    Frame frame;
    frame.width = static_cast<int>(size[0]);
    frame.height = static_cast<int>(size[1]);
    if (withPixels) {
        frame.pixels.resize(static_cast<size_t>(frame.width) * static_cast<size_t>(frame.height));
        std::vector<float> plane(frame.pixels.size());
        for (long p = 0; p < planes; ++p) {
            long first[3] = {1, 1, p + 1};
            float blank = 0.0F;
            fits_read_pix(f, TFLOAT, first, static_cast<LONGLONG>(plane.size()), &blank, plane.data(),
                          nullptr, &status);
            if (status)
                return fitsProblem(
                    Text::say("Cannot read the pixels of %1.").arg(path.string()), status,
                    Text::say("The file is damaged or cut short; copy it again or take another frame."));
            for (size_t i = 0; i < plane.size(); ++i)
                frame.pixels[i] += plane[i] / static_cast<float>(planes);
        }
    }
    FrameInfo& info = frame.info;
    if (const auto date = text(f, "DATE-OBS"))
        if (const auto when = parseInstant(*date))
            info.start = *when;
    info.site = siteOf(f);
    info.temperature_c = number(f, "CCD-TEMP");
    if (const auto pattern = text(f, "BAYERPAT"))
        info.bayer = planes == 1 && pattern->size() >= 4;
    info.exposure_s = number(f, "EXPTIME").value_or(number(f, "EXPOSURE").value_or(0.0));
    info.bin = std::max(1, static_cast<int>(number(f, "XBINNING").value_or(1.0)));
    info.pixel_um = number(f, "XPIXSZ").value_or(0.0);
    info.focal_mm = number(f, "FOCALLEN").value_or(0.0);
    info.gain_e_adu = number(f, "EGAIN").value_or(1.0);
    if (!(info.gain_e_adu > 0.0))
        info.gain_e_adu = 1.0;
    info.gainSetting = number(f, "GAIN");
    info.pointing = pointing(f);
    info.camera = text(f, "INSTRUME").value_or("");
    info.saturation_adu = number(f, "SATURATE").value_or(withPixels ? saturationOf(frame, bitpix) : 65535.0);
    return frame;
}

Expected<Frame> readImageFile(const std::filesystem::path& path, bool withPixels) {
    const auto file = open(path, READONLY);
    if (!file)
        return tl::unexpected(file.error());
    std::error_code error;
    const auto length = static_cast<double>(std::filesystem::file_size(path, error));
    return readImage(file->get(), path, error ? std::nullopt : std::optional(length), withPixels);
}
} // namespace

Expected<Frame> readFits(const std::filesystem::path& path) {
    return readImageFile(path, true);
}

Expected<Frame> readFitsHeader(const std::filesystem::path& path) {
    return readImageFile(path, false);
}

Expected<Frame> readFitsBytes(const std::string& bytes, const std::string& name) {
    fitsfile* raw = nullptr;
    int status = 0;
    // Read only: cfitsio promises to leave the bytes alone, and takes no other pointer.
    void* at = const_cast<char*>(bytes.data());
    size_t size = bytes.size();
    fits_open_memfile(&raw, name.c_str(), READONLY, &at, &size, 0, nullptr, &status);
    if (status)
        return fitsProblem(Text::say("Cannot read %1.").arg(name), status, Text::say("Take another frame."));
    const FitsFile file(raw);
    return readImage(raw, name, static_cast<double>(bytes.size()), true);
}

Expected<std::shared_ptr<const Frame>> readSharedFits(const std::filesystem::path& path) {
    auto frame = readFits(path);
    if (!frame)
        return tl::unexpected(frame.error());
    return std::make_shared<const Frame>(std::move(*frame));
}

std::map<std::string, std::string> readFitsKeys(const std::filesystem::path& path,
                                                const std::vector<std::string>& keys) {
    std::map<std::string, std::string> found;
    auto file = open(path, READONLY);
    if (!file || !moveToImage(file->get()))
        return found;
    for (const std::string& key : keys)
        if (auto value = text(file->get(), key.c_str()))
            found[key] = *value;
    return found;
}

namespace {
template <typename Write>
Expected<void> create(const std::filesystem::path& path, const Write& write) {
    std::error_code error;
    if (std::filesystem::exists(path, error))
        return existsAlready(path);
    // Beside it first: a program that is killed leaves no half frame under the name of a whole one.
    const auto beside = besideOf(path);
    std::filesystem::remove(beside, error);
    fitsfile* raw = nullptr;
    int status = 0;
    fits_create_diskfile(&raw, beside.c_str(), &status);
    if (status)
        return fitsProblem(Text::say("Cannot create %1.").arg(path.string()), status,
                           Text::say("Check the folder and the free space."));
    write(raw, status);
    // Closing writes what is still in buffers, and may fail as well.
    int closing = 0;
    fits_close_file(raw, &closing);
    if (status || closing) {
        std::filesystem::remove(beside, error);
        return fitsProblem(Text::say("Cannot write %1.").arg(path.string()), status ? status : closing,
                           Text::say("Check the free space."));
    }
    return publish(beside, path, false);
}

void putNumber(fitsfile* f, const char* key, double v, int decimals, const char* comment, int& status) {
    fits_update_key_fixdbl(f, key, v, decimals, comment, &status);
}

void putText(fitsfile* f, const char* key, const std::string& v, const char* comment, int& status) {
    fits_update_key_str(f, key, v.c_str(), comment, &status);
}

void putFrame(fitsfile* f, const Frame& frame, const std::vector<FitsCard>& cards, int& status) {
    long size[2] = {frame.width, frame.height};
    fits_create_img(f, USHORT_IMG, 2, size, &status);
    const FrameInfo& i = frame.info;
    if (i.start) {
        putText(f, "DATE-OBS", formatInstant(*i.start), "start of exposure, UTC", status);
        putText(f, "TIMESYS", "UTC", "time system", status);
    }
    putNumber(f, "EXPTIME", i.exposure_s, 3, "[s] exposure time", status);
    if (i.pixel_um > 0.0) {
        putNumber(f, "XPIXSZ", i.pixel_um, 3, "[um] width of the binned pixel", status);
        putNumber(f, "YPIXSZ", i.pixel_um, 3, "[um] height of the binned pixel", status);
    }
    int bin = i.bin;
    fits_update_key(f, TINT, "XBINNING", &bin, "binning across", &status);
    fits_update_key(f, TINT, "YBINNING", &bin, "binning down", &status);
    if (i.focal_mm > 0.0)
        putNumber(f, "FOCALLEN", i.focal_mm, 2, "[mm] focal length", status);
    putNumber(f, "EGAIN", i.gain_e_adu, 4, "electrons per count", status);
    if (i.gainSetting)
        putNumber(f, "GAIN", *i.gainSetting, 2, "gain set, in the camera's own numbers", status);
    putNumber(f, "SATURATE", i.saturation_adu, 1, "count at which pixels saturate", status);
    if (i.temperature_c)
        putNumber(f, "CCD-TEMP", *i.temperature_c, 2, "[degC] of the sensor", status);
    if (i.bayer)
        putText(f, "BAYERPAT", "RGGB", "colour filter pattern", status);
    if (!i.camera.empty())
        putText(f, "INSTRUME", i.camera, "camera", status);
    if (i.pointing) {
        putNumber(f, "RA", i.pointing->ra.wrapped().deg(), 6, "[deg] where the mount believes to point, ICRS",
                  status);
        putNumber(f, "DEC", i.pointing->dec.deg(), 6, "[deg] where the mount believes to point, ICRS",
                  status);
    }
    for (const FitsCard& c : cards) {
        if (const auto* v = std::get_if<double>(&c.value)) {
            if (std::isfinite(*v))
                putNumber(f, c.key.c_str(), *v, c.decimals, c.comment.c_str(), status);
        } else {
            putText(f, c.key.c_str(), std::get<std::string>(c.value), c.comment.c_str(), status);
        }
    }
    std::vector<unsigned short> counts(frame.pixels.size());
    std::transform(frame.pixels.begin(), frame.pixels.end(), counts.begin(), [](float v) {
        return static_cast<unsigned short>(std::lround(std::clamp(v, 0.0F, 65535.0F)));
    });
    fits_write_img(f, TUSHORT, 1, static_cast<LONGLONG>(counts.size()), counts.data(), &status);
}
} // namespace

Expected<void> writeFits(const std::filesystem::path& path, const Frame& frame,
                         const std::vector<FitsCard>& cards) {
    return create(path, [&](fitsfile* f, int& status) {
        putFrame(f, frame, cards, status);
        fits_write_chksum(f, &status);
    });
}

Expected<std::string> fitsBytes(const Frame& frame) {
    void* at = nullptr;
    size_t size = 0;
    fitsfile* raw = nullptr;
    int status = 0;
    fits_create_memfile(&raw, &at, &size, 2880, std::realloc, &status);
    if (status)
        return fitsProblem(Text::say("Cannot make a frame."), status, Text::say("Free some memory."));
    putFrame(raw, frame, {}, status);
    LONGLONG length = 0;
    fits_flush_file(raw, &status);
    fits_get_hduaddrll(raw, nullptr, nullptr, &length, &status);
    int closing = 0;
    fits_close_file(raw, &closing);
    const std::unique_ptr<void, decltype(&std::free)> memory(at, std::free);
    if (status || closing)
        return fitsProblem(Text::say("Cannot make a frame."), status ? status : closing,
                           Text::say("Free some memory."));
    return std::string(static_cast<const char*>(at), static_cast<size_t>(length));
}

namespace {
Expected<void> putWcs(const std::filesystem::path& path, const SolvedFrame& solved) {
    auto file = open(path, READWRITE);
    if (!file)
        return tl::unexpected(file.error());
    fitsfile* f = file->get();
    moveToImage(f);
    int status = 0;
    const Equatorial centre = solved.centre();
    const TangentPlane& p = solved.plane;
    putText(f, "CTYPE1", "RA---TAN", "gnomonic projection", status);
    putText(f, "CTYPE2", "DEC--TAN", "gnomonic projection", status);
    putText(f, "CUNIT1", "deg", "", status);
    putText(f, "CUNIT2", "deg", "", status);
    putText(f, "RADESYS", "ICRS", "reference frame", status);
    putNumber(f, "CRVAL1", centre.ra.deg(), 9, "[deg] right ascension of the reference pixel", status);
    putNumber(f, "CRVAL2", centre.dec.deg(), 9, "[deg] declination of the reference pixel", status);
    putNumber(f, "CRPIX1", p.reference.x + 1.0, 4, "reference pixel", status);
    putNumber(f, "CRPIX2", p.reference.y + 1.0, 4, "reference pixel", status);
    static constexpr const char* keys[2][2] = {{"CD1_1", "CD1_2"}, {"CD2_1", "CD2_2"}};
    for (int i = 0; i < 2; ++i)
        for (int j = 0; j < 2; ++j)
            putNumber(f, keys[i][j], Angle::fromRad(p.cd(i, j)).deg(), 14, "[deg/px]", status);
    fits_write_chksum(f, &status);
    fits_flush_file(f, &status);
    if (status)
        return fitsProblem(Text::say("Cannot write the solution to %1.").arg(path.string()), status,
                           Text::say("Check the free space."));
    return {};
}
} // namespace

Expected<void> copyWithWcs(const std::filesystem::path& from, const std::filesystem::path& to,
                           const SolvedFrame& solved) {
    std::error_code error;
    if (std::filesystem::exists(to, error))
        return existsAlready(to);
    const auto beside = besideOf(to);
    std::filesystem::copy_file(from, beside, std::filesystem::copy_options::overwrite_existing, error);
    if (error)
        return problem(Text::say("Cannot write %1.").arg(to.string()), error.message() + ".",
                       Text::say("Check the folder and the free space."));
    if (auto done = putWcs(beside, solved); !done) {
        std::filesystem::remove(beside, error);
        return done;
    }
    return publish(beside, to, false);
}

} // namespace nordstjerna
