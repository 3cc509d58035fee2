#include "desk/evening/this_night.h"

#include <utility>

namespace nordstjerna {

ThisNight::ThisNight(const Clock& clock, const RigBook& rigs, const TargetBook& targets,
                     std::filesystem::path dataFolder)
    : clock_(clock), rigs_(rigs), targets_(targets), dataFolder_(std::move(dataFolder)) {}

const std::optional<Night>& ThisNight::almanac() {
    const Site& site = rigs_.rig().site;
    const Instant noon = noonBefore(site, now());
    if (almanacNoon_ != noon || !(almanacSite_ == site)) {
        almanac_ = nightAround(site, now());
        almanacSite_ = site;
        almanacNoon_ = noon;
    }
    return almanac_;
}

LogEntry ThisNight::newEntry(EntryKind kind) const {
    const Rig& rig = rigs_.rig();
    LogEntry e;
    e.kind = kind;
    e.started = now();
    e.night = noonBefore(rig.site, now());
    e.rigId = rig.id;
    e.rigName = rig.name;
    e.target = targets_.name();
    e.rig = rig;
    return e;
}

std::filesystem::path ThisNight::newRunPath(const std::string& kind) const {
    std::string stamp = formatInstant(now(), 0);
    std::erase(stamp, ':');
    std::error_code error;
    const auto folder = dataFolder_ / "runs";
    std::filesystem::create_directories(folder, error);
    return folder / (stamp + "-" + kind + ".ecsv");
}

size_t ThisNight::openBlock(const QString& label) {
    blocks_.push_back({now(), now(), label, NightBlock::Tone::done, true, std::exchange(nextEntry_, {})});
    return blocks_.size() - 1;
}

void ThisNight::closeBlock(size_t block) {
    blocks_[block].to = now();
    blocks_[block].open = false;
}

} // namespace nordstjerna
