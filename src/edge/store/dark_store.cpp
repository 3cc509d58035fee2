#include "edge/store/dark_store.h"

#include <algorithm>
#include <cmath>

#include "edge/store/append_file.h"
#include "edge/store/file_names.h"
#include "edge/store/fits.h"

namespace nordstjerna {

namespace {

std::string nameOf(const DarkKind& k) {
    const auto whole = [](double v) { return std::to_string(std::lround(v)); };
    return "dark-" + whole(1000.0 * k.exposure_s) + "ms-gain" + whole(1000.0 * k.gain_e_adu) + "-bin" +
           std::to_string(k.bin) + "-" + std::to_string(k.width) + "x" + std::to_string(k.height) +
           (k.gainSetting ? "-set" + whole(*k.gainSetting) : std::string()) +
           (k.temperature_c ? "-" + whole(*k.temperature_c) + "C" : std::string());
}

Expected<void> replaceFits(const std::filesystem::path& path, const Frame& frame) {
    std::error_code error;
    const std::filesystem::path beside = path.string() + ".new";
    std::filesystem::remove(beside, error);
    if (auto done = writeFits(beside, frame); !done)
        return done;
    return publish(beside, path, true);
}

} // namespace

DarkStore DarkStore::open(const std::filesystem::path& folder) {
    DarkStore store;
    store.folder_ = folder;
    for (const auto& path : filesIn(folder, ".fits")) {
        if (!path.filename().string().starts_with("dark-"))
            continue;
        const auto mean = readFitsHeader(path);
        const auto map = readFitsHeader(path.parent_path() / ("bad-" + path.filename().string()));
        if (!mean || !map || map->width != mean->width || map->height != mean->height)
            store.problems_.push_back(!mean  ? mean.error()
                                      : !map ? map.error()
                                             : Problem{Text::say("The bad-pixel map of %1 has another size.")
                                                           .arg(path.filename().string()),
                                                       Text::say("It belongs to another dark."),
                                                       Text::say("Take the darks again.")});
        else
            store.darks_.push_back({DarkKind::of(*mean), path});
    }
    return store;
}

Expected<MasterDark> DarkStore::read(const std::filesystem::path& path) const {
    auto mean = readFits(path);
    if (!mean)
        return tl::unexpected(mean.error());
    const auto map = readFits(path.parent_path() / ("bad-" + path.filename().string()));
    if (!map)
        return tl::unexpected(map.error());
    MasterDark dark;
    dark.kind = DarkKind::of(*mean);
    dark.mean = std::move(*mean);
    const OrdinaryPixels ordinary = ordinaryPixels(dark.mean.pixels);
    dark.level = ordinary.level;
    dark.scatter = ordinary.sigma;
    for (float v : map->pixels) {
        dark.badPixels.push_back(v > 0.5F ? 1 : 0);
        dark.badCount += dark.badPixels.back();
    }
    if (dark.badPixels.size() != dark.mean.pixels.size())
        return problem(Text::say("The bad-pixel map of %1 has another size.").arg(path.filename().string()),
                       Text::say("It belongs to another dark."), Text::say("Take the darks again."));
    return dark;
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
    std::erase_if(darks_, [&](const Kept& d) { return nameOf(d.kind) == nameOf(dark.kind); });
    darks_.push_back({dark.kind, folder_ / name});
    loadedFrom_ = folder_ / name;
    loaded_ = std::make_shared<const MasterDark>(dark);
    return {};
}

std::vector<DarkKind> DarkStore::kinds() const {
    std::vector<DarkKind> kinds;
    for (const Kept& d : darks_)
        kinds.push_back(d.kind);
    return kinds;
}

std::shared_ptr<const MasterDark> DarkStore::load(Kept& kept) {
    if (kept.damaged || kept.path == loadedFrom_)
        return kept.damaged ? nullptr : loaded_;
    auto dark = read(kept.path);
    if (!dark) {
        kept.damaged = true;
        problems_.push_back(dark.error());
        return nullptr;
    }
    loadedFrom_ = kept.path;
    loaded_ = std::make_shared<const MasterDark>(std::move(*dark));
    return loaded_;
}

DarkStore::Match DarkStore::match(const DarkKind& kind) {
    for (Kept& d : darks_)
        if (darkFits(d.kind, kind))
            if (auto dark = load(d))
                return {dark, 1.0};
    std::vector<std::pair<double, Kept*>> others;
    for (Kept& d : darks_)
        if (const auto scale = darkScale(d.kind, kind))
            others.emplace_back(*scale, &d);
    std::ranges::sort(others, {}, [](const auto& other) { return std::abs(std::log(other.first)); });
    for (const auto& [scale, d] : others)
        if (auto dark = load(*d))
            return {dark, scale};
    return {};
}

} // namespace nordstjerna
