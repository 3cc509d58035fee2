#include "edge/store/series_keeper.h"

#include <algorithm>

#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/rig/scales.h"
#include "core/sky/sides.h"
#include "edge/store/append_file.h"
#include "edge/store/file_names.h"
#include "edge/store/fits.h"

namespace nordstjerna {

namespace {
std::vector<FitsCard> cardsOf(const SeriesSetup& setup, const SeriesFrame& f) {
    const Scales scales = scalesOf(setup.rig);
    const Equatorial target = equatorialFrom(setup.target);
    std::vector<FitsCard> cards{
        {"IMAGETYP", std::string("LIGHT"), 0, "type of frame"},
        {"OBJECT", setup.targetName, 0, "target"},
        {"OBJRA", target.ra.deg(), 6, "[deg] of the target, ICRS"},
        {"OBJDEC", target.dec.deg(), 6, "[deg] of the target, ICRS"},
        {"SITELAT", setup.rig.site.latitude.deg(), 6, "[deg] latitude, north positive"},
        {"SITELONG", setup.rig.site.longitude.deg(), 6, "[deg] longitude, east positive"},
        {"SITEELEV", setup.rig.site.height_m, 1, "[m] height"},
        {"APTDIA", setup.rig.imagingOptics.aperture_mm, 1, "[mm] aperture"},
        {"PIERSIDE", pierSideOf(f.side), 0, "side of the pier the telescope is on"},
        {"FRAMENO", static_cast<double>(f.number), 0, "number in the series"},
        {"DITHERX", f.spot.x_px, 2, "[px] of the aim to the east, from the first"},
        {"DITHERY", f.spot.y_px, 2, "[px] of the aim to the north, from the first"},
        {"SETTLED", std::string(f.settled ? "yes" : "no"), 0, "the star had settled when it began"},
        {"STARS", static_cast<double>(f.look.stars), 0, "stars found"},
        {"SWCREATE", std::string("Nordstjerna"), 0, "written by"},
    };
    if (!f.filter.empty())
        cards.push_back({"FILTER", f.filter, 0, "before the camera"});
    if (f.look.fwhm_px.value > 0.0) {
        cards.push_back({"FWHM", f.look.fwhm_px.value * scales.image_arcsec_px, 3, "[arcsec] of the stars"});
        cards.push_back({"HFD", f.look.hfd_px, 3, "[px] half-flux diameter"});
        cards.push_back({"ELONGATN", f.look.elongation(), 3, "1 - minor/major of the stars"});
    }
    if (f.guide.looks > 0) {
        cards.push_back({"GUIDERMS", f.guide.total_arcsec(), 3, "[arcsec] guide error meanwhile, both axes"});
        cards.push_back({"GUIDERA", f.guide.ra_arcsec, 3, "[arcsec] in right ascension"});
        cards.push_back({"GUIDEDEC", f.guide.dec_arcsec, 3, "[arcsec] in declination"});
        if (const auto& mount = f.guide.mountPart_arcsec) {
            cards.push_back({"MOUNTRMS", mount->value, 3, "[arcsec] of it the mount's own motion"});
            cards.push_back({"MOUNTSIG", mount->sigma, 3, "[arcsec] uncertainty of MOUNTRMS"});
        }
        cards.push_back({"GUIDELST", static_cast<double>(f.guide.lost), 0, "guide frames without the star"});
    }
    if (f.remark != Remark::none)
        cards.push_back({"REMARK", remarkWord(f.remark), 0, "what strikes about it"});
    return cards;
}
} // namespace

std::string SeriesKeeper::nameOf(const SeriesSetup& setup, const SeriesFrame& frame) {
    const std::string when = formatStamp(frame.start);
    std::string number = std::to_string(frame.number);
    number.insert(0, number.size() < 3 ? 3 - number.size() : 0, '0');
    const int decimals = frame.exposure_s < 10.0 ? 1 : 0;
    const std::string filter = frame.filter.empty() ? "" : "_" + plainName(frame.filter, "filter");
    return plainName(setup.targetName, "target") + "_" + when + filter + "_" +
           formatNumber(frame.exposure_s, decimals) + "s_" + number + ".fits";
}

std::filesystem::path SeriesKeeper::pathOf(const std::filesystem::path& folder, const SeriesSetup& setup,
                                           const SeriesFrame& frame) {
    return folder / plainName(setup.targetName, "target") / nameOf(setup, frame);
}

Expected<std::string> SeriesKeeper::write(const std::filesystem::path& folder, const Waiting& w) {
    auto path = pathOf(folder, w.setup, w.frame);
    const auto own = path.parent_path();
    if (w.frame.number == 1) // once a series
        tidyBesides(own);
    std::error_code error;
    std::filesystem::create_directories(own, error);
    if (error)
        return problem(Text::say("Frames cannot be saved in %1.").arg(own.string()), error.message() + ".",
                       Text::say("Choose another folder."));
    // Another series may have left one of that name.
    const auto wanted = path;
    for (int n = 2; std::filesystem::exists(path, error) && n < mostNames; ++n)
        path = numbered(wanted, n);
    if (auto done = writeFits(path, *w.pixels, cardsOf(w.setup, w.frame)); !done)
        return tl::unexpected(done.error());
    return path.string();
}

SeriesKeeper::SeriesKeeper(std::filesystem::path folder)
    : folder_(std::move(folder)), writer_([this] { run(); }) {}

SeriesKeeper::~SeriesKeeper() {
    constexpr double lastPatience_s = 5.0;
    constexpr int slowDisk_s = 120;
    if (!finish(lastPatience_s))
        for (int s = 0; s < slowDisk_s && !trouble() && !finish(1.0); ++s) {
        }
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
    }
    changed_.notify_all();
    writer_.join();
}

void SeriesKeeper::run() {
    lowerThreadPriority();
    std::unique_lock guard(lock_);
    size_t failures = 0;
    for (;;) {
        changed_.wait(guard, [this] { return ending_ || !waiting_.empty(); });
        if (ending_)
            return;
        const Waiting next = waiting_.front();
        const auto folder = folder_;
        guard.unlock();
        Expected<std::string> path;
        try {
            path = write(folder, next);
        } catch (const std::exception& e) {
            path = problem(Text::say("A frame could not be written."),
                           Text::say("Unexpected failure: %1.").arg(e.what()),
                           Text::say("Choose another folder."));
        }
        guard.lock();
        if (path) {
            files_[next.frame.number] = *path;
            waiting_.pop_front();
            trouble_.reset();
            failures = 0;
        } else {
            trouble_ = path.error();
            changed_.notify_all();
            constexpr size_t longest_s = 15;
            again_ = false;
            const auto pause = std::chrono::seconds(std::min(++failures, longest_s));
            changed_.wait_for(guard, pause, [this] { return ending_ || again_; });
        }
        changed_.notify_all();
    }
}

void SeriesKeeper::keep(Series& series) {
    std::unique_lock guard(lock_);
    const auto& frames = series.frames();
    for (; seen_ < frames.size(); ++seen_)
        if (seen_ + 1 == frames.size() && series.frame())
            waiting_.push_back({series.setup(), frames[seen_], series.frame()});
    changed_.notify_all();
    constexpr size_t mostUnderWay = 2;
    changed_.wait(guard, [this] { return waiting_.size() <= mostUnderWay || trouble_; });
    if (files_.size() != told_) {
        for (const auto& [number, file] : files_)
            series.saved(number, file);
        told_ = files_.size();
    }
    if (trouble_)
        series.notSaved(*trouble_);
}

bool SeriesKeeper::finish(double patience_s) {
    std::unique_lock guard(lock_);
    again_ = true;
    changed_.notify_all();
    return changed_.wait_for(guard, std::chrono::duration<double>(patience_s),
                             [this] { return waiting_.empty(); });
}

void SeriesKeeper::moveTo(std::filesystem::path folder) {
    const std::scoped_lock guard(lock_);
    folder_ = std::move(folder);
    again_ = true;
    changed_.notify_all();
}

std::filesystem::path SeriesKeeper::folder() const {
    const std::scoped_lock guard(lock_);
    return folder_;
}

int SeriesKeeper::saved() const {
    const std::scoped_lock guard(lock_);
    return static_cast<int>(files_.size());
}

int SeriesKeeper::waiting() const {
    const std::scoped_lock guard(lock_);
    return static_cast<int>(waiting_.size());
}

std::optional<Problem> SeriesKeeper::trouble() const {
    const std::scoped_lock guard(lock_);
    return trouble_;
}

std::map<int, std::string> SeriesKeeper::files() const {
    const std::scoped_lock guard(lock_);
    return files_;
}

} // namespace nordstjerna
