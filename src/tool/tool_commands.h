// The commands of nordstjerna-tool. Each gives the JSON for standard output or a problem.
#pragma once

#include <filesystem>
#include <optional>
#include <vector>

#include "core/pole/pole_error.h"
#include "edge/platesolve/plate_solver.h"
#include "tool/loop_wishes.h"
#include "tool/tool_json.h"

namespace nordstjerna {

Expected<Json> commandStars(const std::filesystem::path& frame);

// Solves a frame and, when that fails, tells from the frame itself why.
Expected<SolvedFrame> solveOrDiagnose(StarIndex& index, const Frame& frame, const SolveOptions& options);

// What is known of a frame before it is solved.
struct PlaceHint {
    std::optional<double> scale_arcsec_px;
    double scaleTolerance = 0.1;
    std::optional<double> ra_deg;
    std::optional<double> dec_deg;
    double radius_deg = 10.0;
    std::optional<double> roll_deg;
    double rollTolerance_deg = 3.0;
};
SolveOptions optionsOf(const PlaceHint& hint);
Json solutionJson(const SolvedFrame& solved);

struct SolveRequest {
    std::filesystem::path frame;
    PlaceHint hint;
    std::optional<std::filesystem::path> write;
};
Expected<Json> commandSolve(const SolveRequest& request);
// What the installed star index files can do for a frame.
Expected<Json> commandCheckField(const std::filesystem::path& frame, const PlaceHint& hint);

struct PoleRequest {
    std::vector<std::filesystem::path> frames;
    Site site;
    PoleReference reference = PoleReference::refracted;
    double dut1_s = 0.0;
};
Expected<Json> commandPole(const PoleRequest& request);

struct ScalesRequest {
    double guidePixel_um = 0.0;
    double guideFocal_mm = 0.0;
    int guideBin = 1;
    double imagePixel_um = 0.0;
    double imageFocal_mm = 0.0;
    int imageBin = 1;
    double dither_px = 10.0;
};
Expected<Json> commandScales(const ScalesRequest& request);

Expected<Json> commandCalibrate(const std::filesystem::path& table);
struct AnalyseRequest {
    std::filesystem::path table;
    double wormPeriod_s = 0.0;                   // 0: not known
    std::optional<std::filesystem::path> report; // .html or .pdf
};
Expected<Json> commandAnalyse(const AnalyseRequest& request);

Expected<Json> commandCompare(const std::filesystem::path& a, const std::filesystem::path& b);

struct ReplayRequest {
    std::filesystem::path table;
    LoopWishes wishes;
    bool search = false;
};
Expected<Json> commandReplay(const ReplayRequest& request);

} // namespace nordstjerna
