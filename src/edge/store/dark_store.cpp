#include "edge/store/dark_store.h"

#include <algorithm>
#include <cmath>

#include "edge/store/fits.h"

namespace nordstjerna {

namespace {

std::string nameOf(const DarkKind& k) {
    const auto whole = [](double v) { return std::to_string(std::lround(v)); };
    return "dark-" + whole(1000.0 * k.exposure_s) + "ms-gain" + whole(1000.0 * k.gain_e_adu) + "-bin" +
           std::to_string(k.bin) + "-" + std::to_string(k.width) + "x" + std::to_string(k.height) +
           (k.temperature_c ? "-" + whole(*k.temperature_c) + "C" : std::string());
}

Expected<void> replaceFits(const std::filesystem::path& path, const Frame& frame) {
    std::error_code error;
    const std::filesystem::path beside = path.string() + ".new";
    std::filesystem::remove(beside, error);
    if (auto done = writeFits(beside, frame); !done)
        return done;
    std::filesystem::rename(beside, path, error);
    if (error)
        return problem("Cannot write " + path.string() + ".", error.message() + ".",
                       "Check the folder and the free space.");
    return {};
}

} // namespace

DarkStore DarkStore::open(const std::filesystem::path& folder) {
    DarkStore store;
    store.folder_ = folder;
    std::error_code error;
    std::vector<std::filesystem::path> files;
    for (const auto& entry : std::filesystem::directory_iterator(folder, error))
        if (entry.path().extension() == ".fits" && entry.path().filename().string().starts_with("dark-"))
            files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    for (const auto& path : files) {
        auto mean = readFits(path);
        const auto map = readFits(path.parent_path() / ("bad-" + path.filename().string()));
        if (!mean || !map || map->pixels.size() != mean->pixels.size()) {
            store.problems_.push_back(
                !mean  ? mean.error()
                : !map ? map.error()
                       : Problem{"The bad-pixel map of " + path.filename().string() + " has another size.",
                                 "It belongs to another dark.", "Take the darks again."});
            continue;
        }
        MasterDark dark;
        dark.kind = DarkKind::of(*mean);
        dark.mean = std::move(*mean);
        dark.level = ordinaryLevel(dark.mean);
        for (float v : map->pixels) {
            dark.badPixels.push_back(v > 0.5F ? 1 : 0);
            dark.badCount += dark.badPixels.back();
        }
        store.darks_.push_back(std::make_shared<const MasterDark>(std::move(dark)));
    }
    return store;
}

Expected<void> DarkStore::add(const MasterDark& dark) {
    std::error_code error;
    std::filesystem::create_directories(folder_, error);
    const std::string name = nameOf(dark.kind) + ".fits";
    Frame map(dark.kind.width, dark.kind.height);
    map.info = dark.mean.info;
    std::copy(dark.badPixels.begin(), dark.badPixels.end(), map.pixels.begin());
    // The map first: a mean without its map would be left out.
    if (auto done = replaceFits(folder_ / ("bad-" + name), map); !done)
        return done;
    if (auto done = replaceFits(folder_ / name, dark.mean); !done)
        return done;
    std::erase_if(darks_, [&](const auto& d) { return nameOf(d->kind) == nameOf(dark.kind); });
    darks_.push_back(std::make_shared<const MasterDark>(dark));
    return {};
}

std::shared_ptr<const MasterDark> DarkStore::match(const DarkKind& kind) const {
    for (const auto& d : darks_)
        if (darkFits(d->kind, kind))
            return d;
    return nullptr;
}

} // namespace nordstjerna
