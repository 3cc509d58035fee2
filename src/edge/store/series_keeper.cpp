#include "edge/store/series_keeper.h"

#include <cctype>

#include "core/base/format.h"
#include "core/base/parallel.h"
#include "core/rig/scales.h"
#include "edge/store/fits.h"

namespace nordstjerna {

namespace {
std::string plainWord(const std::string& text) {
    std::string word;
    for (const char c : text)
        if (std::isalnum(static_cast<unsigned char>(c)) || c == '+' || c == '.')
            word += c;
        else if (!word.empty() && word.back() != '-')
            word += '-';
    while (!word.empty() && (word.back() == '-' || word.back() == '.'))
        word.pop_back();
    return word.empty() ? "target" : word;
}

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
        {"PIERSIDE", f.side, 0, "side of the meridian, as the mount says"},
        {"FRAMENO", static_cast<double>(f.number), 0, "number in the series"},
        {"DITHERX", f.spot.x_px, 2, "[px] of the aim to the east, from the first"},
        {"DITHERY", f.spot.y_px, 2, "[px] of the aim to the north, from the first"},
        {"SETTLED", std::string(f.settled ? "yes" : "no"), 0, "the star had come to rest when it began"},
        {"STARS", static_cast<double>(f.look.stars), 0, "stars found"},
        {"SWCREATE", std::string("Nordstjerna"), 0, "written by"},
    };
    if (f.look.fwhm_px.value > 0.0) {
        cards.push_back({"FWHM", f.look.fwhm_px.value * scales.image_arcsec_px, 3, "[arcsec] of the stars"});
        cards.push_back({"HFD", f.look.hfd_px, 3, "[px] half-flux diameter"});
        cards.push_back({"ELONGATN", f.look.elongation(), 3, "1 - minor/major of the stars"});
    }
    if (f.guide.looks > 0) {
        cards.push_back({"GUIDERMS", f.guide.total_arcsec(), 3, "[arcsec] guide error meanwhile, both axes"});
        cards.push_back({"GUIDERA", f.guide.ra_arcsec, 3, "[arcsec] in right ascension"});
        cards.push_back({"GUIDEDEC", f.guide.dec_arcsec, 3, "[arcsec] in declination"});
        cards.push_back({"MOUNTRMS", f.guide.mountPart_arcsec(), 3, "[arcsec] of it the mount's own motion"});
        cards.push_back({"GUIDELST", static_cast<double>(f.guide.lost), 0, "guide frames without the star"});
    }
    if (f.remark != Remark::none)
        cards.push_back({"REMARK", std::string(remarkWord(f.remark)), 0, "what strikes about it"});
    return cards;
}
} // namespace

std::string SeriesKeeper::nameOf(const SeriesSetup& setup, const SeriesFrame& frame) {
    const std::string when = formatStamp(frame.start);
    std::string number = std::to_string(frame.number);
    number.insert(0, number.size() < 3 ? 3 - number.size() : 0, '0');
    const int decimals = frame.exposure_s < 10.0 ? 1 : 0;
    return plainWord(setup.targetName) + "_" + when + "_" + formatNumber(frame.exposure_s, decimals) + "s_" +
           number + ".fits";
}

Expected<std::string> SeriesKeeper::write(const SeriesSetup& setup, const Waiting& w) const {
    const auto folder = folder_ / plainWord(setup.targetName);
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error)
        return problem("Frames cannot be saved in " + folder.string() + ".", error.message() + ".",
                       "Choose another folder.");
    const std::string name = nameOf(setup, w.frame);
    auto path = folder / name;
    // Another series may have left one of that name.
    constexpr int mostNames = 1000;
    for (int k = 2; std::filesystem::exists(path, error) && k < mostNames; ++k)
        path = folder / (name.substr(0, name.size() - 5) + "-" + std::to_string(k) + ".fits");
    if (auto done = writeFits(path, *w.pixels, cardsOf(setup, w.frame)); !done)
        return tl::unexpected(done.error());
    return path.string();
}

void SeriesKeeper::keep(Series& series) {
    const std::scoped_lock guard(lock_);
    const auto& frames = series.frames();
    for (; seen_ < frames.size(); ++seen_)
        if (seen_ + 1 == frames.size() && series.frame())
            waiting_.push_back({frames[seen_], series.frame()});
    while (!waiting_.empty()) {
        const auto path = unhurried([&] { return write(series.setup(), waiting_.front()); });
        if (!path) {
            series.notSaved(path.error());
            return;
        }
        series.saved(waiting_.front().frame.number, *path);
        waiting_.pop_front();
        ++saved_;
    }
}

void SeriesKeeper::moveTo(std::filesystem::path folder) {
    const std::scoped_lock guard(lock_);
    folder_ = std::move(folder);
}

std::filesystem::path SeriesKeeper::folder() const {
    const std::scoped_lock guard(lock_);
    return folder_;
}

int SeriesKeeper::saved() const {
    const std::scoped_lock guard(lock_);
    return saved_;
}

int SeriesKeeper::waiting() const {
    const std::scoped_lock guard(lock_);
    return static_cast<int>(waiting_.size());
}

} // namespace nordstjerna
