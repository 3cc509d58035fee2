#include "edge/platesolve/star_index.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <map>
#include <numbers>
#include <sstream>

#include "core/base/format.h"
#include "edge/platesolve/index_files.h"
#include "edge/store/file_names.h"

namespace nordstjerna {

StarIndex::StarIndex() : files_(std::make_unique<Files>()) {}
StarIndex::~StarIndex() = default;

namespace {
// "…/index-tycho2-08.littleendian.fits" is of the series "index-tycho2-08".
bool isOf(const std::filesystem::path& file, const std::vector<std::string>& series) {
    const std::string name = file.filename().string();
    return series.empty() || std::any_of(series.begin(), series.end(),
                                         [&](const std::string& s) { return name.starts_with(s + "."); });
}

std::vector<std::filesystem::path> indexFilesIn(const std::filesystem::path& folder,
                                                const std::vector<std::string>& series) {
    std::vector<std::filesystem::path> paths;
    for (const auto& path : filesIn(folder, ".fits"))
        if (path.filename().string().starts_with("index-") && isOf(path, series))
            paths.push_back(path);
    std::sort(paths.begin(), paths.end());
    return paths;
}
} // namespace

size_t StarIndex::Files::open(const std::vector<std::filesystem::path>& paths) {
    size_t opened = 0;
    for (Opened* use : {&toSolve, &toRead}) {
        const std::scoped_lock guard(use->lock);
        opened = 0;
        for (const auto& path : paths)
            if (index_t* index = index_load(path.c_str(), 0, nullptr)) {
                use->indexes.push_back(index);
                ++opened;
            }
        std::stable_sort(use->indexes.begin(), use->indexes.end(), [](const index_t* a, const index_t* b) {
            return a->index_scale_lower < b->index_scale_lower;
        });
    }
    return opened;
}

Expected<std::shared_ptr<StarIndex>> StarIndex::load(const std::vector<std::filesystem::path>& folders,
                                                     const std::vector<std::string>& series) {
    static const bool quiet = [] {
        // Even at its quietest level the engine reports each match; nobody reads that.
        log_init(LOG_NONE);
        if (std::FILE* nowhere = std::fopen("/dev/null", "w"))
            log_to(nowhere);
        return true;
    }();
    static_cast<void>(quiet);
    std::string searched;
    const std::shared_ptr<StarIndex> result(new StarIndex);
    for (const auto& folder : folders) {
        searched += (searched.empty() ? "" : ", ") + folder.string();
        result->files_->open(indexFilesIn(folder, series));
    }
    if (result->files_->toRead.indexes.empty())
        return problem(Text::say("No star index files were found."),
                       Text::say("Searched in: %1.").arg(searched),
                       Text::say("Install the packages astrometry-data-tycho2-07-littleendian, -08-, -09- "
                                 "and -10-19-, or name their folder in NORDSTJERNA_INDEX_PATH."));
    return result;
}

Expected<int> StarIndex::add(const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> fresh;
    const std::vector<std::string> known = names();
    const auto found = indexFilesIn(folder, {});
    for (const auto& path : found)
        if (std::find(known.begin(), known.end(), path.filename().string()) == known.end())
            fresh.push_back(path);
    const std::string format = "in the FITS format that the installed ones have.";
    if (found.empty())
        return problem(Text::say("There are no star index files in this folder."),
                       Text::say("%1 holds no file called index-….fits.").arg(folder.string()),
                       Text::say("Choose the folder in which they lie, %1").arg(format));
    if (const size_t opened = files_->open(fresh); opened < fresh.size())
        return problem(Text::say("Some of the star index files could not be read."),
                       Text::say("%1: %2 of %3.")
                           .arg(folder.string())
                           .arg(Text::say("%n file|%n files", "", static_cast<int>(fresh.size() - opened)))
                           .arg(formatNumber(static_cast<double>(fresh.size()), 0)),
                       Text::say("Put files there that are %1").arg(format));
    return static_cast<int>(fresh.size());
}

double StarIndex::smallestFigure_arcmin() const {
    const std::scoped_lock guard(files_->toRead.lock);
    return files_->toRead.indexes.front()->index_scale_lower / 60.0;
}

std::vector<std::string> StarIndex::names() const {
    const std::scoped_lock guard(files_->toRead.lock);
    std::vector<std::string> list;
    for (const index_t* i : files_->toRead.indexes)
        list.push_back(std::filesystem::path(i->indexfn).filename().string());
    return list;
}

Expected<std::shared_ptr<StarIndex>> StarIndex::loadDefault(const std::vector<std::string>& series) {
    std::vector<std::filesystem::path> folders;
    if (const char* more = std::getenv("NORDSTJERNA_INDEX_PATH")) {
        std::istringstream parts(more);
        for (std::string part; std::getline(parts, part, ':');)
            if (!part.empty())
                folders.emplace_back(part);
    }
    if (folders.empty())
        folders.emplace_back("/usr/share/astrometry");
    return load(folders, series);
}

std::vector<std::string> StarIndex::missing(const std::vector<std::string>& series) const {
    const std::scoped_lock guard(files_->toRead.lock);
    std::vector<std::string> list;
    for (const std::string& s : series)
        if (std::none_of(files_->toRead.indexes.begin(), files_->toRead.indexes.end(),
                         [&](const index_t* i) { return isOf(i->indexfn, {s}); }))
            list.push_back(s);
    return list;
}

std::vector<CatalogueStar> StarIndex::starsNear(const Vec3& icrs, Angle radius,
                                                const std::vector<std::string>& series) const {
    const std::scoped_lock guard(files_->toRead.lock);
    std::vector<CatalogueStar> stars;
    // Grid of cells a few arcseconds wide: the same star stands in several index files.
    std::map<std::array<long, 3>, bool> known;
    const double chord = 2.0 * std::sin(0.5 * std::min(radius.rad(), std::numbers::pi));
    for (index_t* index : files_->toRead.indexes) {
        startree_t* tree = index->starkd;
        if (!startree_has_tagalong(tree) || !isOf(index->indexfn, series))
            continue;
        double* xyz = nullptr;
        int* inds = nullptr;
        int count = 0;
        startree_search_for(tree, icrs.data(), chord * chord, &xyz, nullptr, &inds, &count);
        double* magnitudes = count > 0 ? startree_get_data_column(tree, "MAG_VT", inds, count) : nullptr;
        for (int i = 0; i < count && magnitudes; ++i) {
            const Vec3 v(xyz[3 * i], xyz[3 * i + 1], xyz[3 * i + 2]);
            const std::array<long, 3> cell{std::lround(v.x() * 1e5), std::lround(v.y() * 1e5),
                                           std::lround(v.z() * 1e5)};
            if (known.emplace(cell, true).second)
                stars.push_back({v.normalized(), magnitudes[i]});
        }
        if (magnitudes)
            startree_free_data_column(tree, magnitudes);
        std::free(xyz);
        std::free(inds);
    }
    std::stable_sort(stars.begin(), stars.end(), [](const CatalogueStar& a, const CatalogueStar& b) {
        return a.magnitude < b.magnitude;
    });
    return stars;
}

} // namespace nordstjerna
