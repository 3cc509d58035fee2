#include <iostream>

#include "core/sky/field_match.h"
#include "edge/store/fits.h"
#include "tool/tool_commands.h"

namespace nordstjerna {

namespace {

std::string adviceFor(const FieldReach& reach, const SolveOptions& options, bool solved) {
    if (solved)
        return "Nothing needs to change.";
    if (reach.figuresFit())
        return "The files have figures small enough: check focus, exposure and scale.";
    if (!options.near)
        return "Give a rough place (--ra, --dec, --radius): then a few stars are enough. Or install index "
               "files "
               "with smaller figures.";
    if (reach.matchMayDo())
        return "Enough catalogue stars should stand there: expose longer, or give the place, the scale or "
               "the roll "
               "more exactly.";
    return "Too few catalogue stars stand there: use the camera with the larger field, give the roll "
           "(--roll), or "
           "install index files of a deeper catalogue.";
}

} // namespace

Expected<Json> commandCheckField(const std::filesystem::path& path, const PlaceHint& hint) {
    const auto frame = readFits(path);
    if (!frame)
        return tl::unexpected(frame.error());
    const auto index = StarIndex::loadDefault();
    if (!index)
        return tl::unexpected(index.error());
    const SolveOptions options = withHeader(optionsOf(hint), *frame);
    if (options.scale_arcsec_px <= 0.0)
        return problem(Text::say("The scale of the frame is not known."),
                       Text::say("Its header has no FOCALLEN and XPIXSZ."),
                       Text::say("Give it by --scale, in arcseconds a pixel."));
    const auto field = detectStars(*frame);
    if (!field)
        return tl::unexpected(field.error());
    const std::atomic<bool> never{false};
    const auto solved = solveField(**index, *field, *frame, options, never);
    // Where it was solved, the stars of its own place are counted.
    SolveOptions at = options;
    if (solved)
        at.near = solved->plane.centre;
    const FieldReach reach = reachOf(**index, *field, frame->width, frame->height, at);
    Json json{{"field_arcmin",
               {{"width", number(reach.width_arcmin, 2)}, {"height", number(reach.height_arcmin, 2)}}},
              {"scale_arcsec_px", number(options.scale_arcsec_px, 4)},
              {"smallest_figure_arcmin", number(reach.smallestFigure_arcmin, 1)},
              {"figures_fit", reach.figuresFit()},
              {"index_files", (*index)->names()},
              {"stars_found", static_cast<int>(field->stars.size())},
              {"solved", solved.has_value()},
              {"advice", adviceFor(reach, options, solved.has_value())}};
    if (at.near) {
        json["catalogue_stars_expected"] = reach.catalogueStars;
        json["hinted_match"] = {{"would_do", reach.matchMayDo()},
                                {"stars_needed", reach.starsNeeded},
                                {"pairs_compared", reach.trials},
                                {"most_chance", mostChance}};
    }
    if (solved) {
        json["solution"] = solutionJson(*solved);
        json["solution"]["found_by"] = solved->chance > 0.0 ? "stars" : "figures";
    }
    return json;
}

} // namespace nordstjerna
