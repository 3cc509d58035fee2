#include "tool/command_line.h"

#include <CLI/CLI.hpp>
#include <iostream>

#include "core/base/number_text.h"
#include "edge/store/json_reader.h"
#include "tool/night.h"
#include "tool/series_night.h"
#include "tool/simulate.h"
#include "tool/tool_commands.h"

namespace nordstjerna {

namespace {

int report(const Expected<Json>& result) {
    if (result) {
        std::cout << jsonText(*result, 2) << '\n';
        return std::cout.flush() ? 0 : 1;
    }
    std::cout << jsonText(problemJson(result.error()), 2) << '\n';
    std::cerr << result.error().text() << '\n';
    return 1;
}

} // namespace

int runCommandLine(int argc, char** argv) {
    pinDecimalPoint();
    CLI::App app{"Measures and judges mount, polar alignment and guiding from files.", "nordstjerna-tool"};
    app.require_subcommand(1);
    app.set_version_flag("--version", "nordstjerna-tool " NORDSTJERNA_VERSION);
    int status = 0;

    std::filesystem::path frame;
    auto* stars = app.add_subcommand("stars", "Stars of a frame");
    stars->add_option("frame", frame, "FITS frame")->required();
    stars->callback([&] { status = report(commandStars(frame)); });

    SolveRequest solve;
    auto* solver = app.add_subcommand("solve", "Where a frame looks");
    solver->add_option("frame", solve.frame, "FITS frame")->required();
    solver->add_option("--scale", solve.scale_arcsec_px, "expected scale, arcsec/px")
        ->check(CLI::PositiveNumber);
    solver->add_option("--scale-tolerance", solve.scaleTolerance, "relative tolerance of the scale")
        ->check(CLI::Range(0.001, 5.0));
    auto* ra = solver->add_option("--ra", solve.ra_deg, "expected right ascension, degrees")
                   ->check(CLI::Range(0.0, 360.0));
    auto* dec = solver->add_option("--dec", solve.dec_deg, "expected declination, degrees")
                    ->check(CLI::Range(-90.0, 90.0));
    ra->needs(dec);
    dec->needs(ra);
    solver->add_option("--radius", solve.radius_deg, "search radius, degrees")->check(CLI::Range(0.1, 180.0));
    solver->add_option("--write", solve.write, "copy of the frame with the solution");
    solver->callback([&] { status = report(commandSolve(solve)); });

    PoleRequest pole;
    double latitude = 0.0;
    double longitude = 0.0;
    std::string reference = "refracted";
    auto* poleCommand = app.add_subcommand("pole", "Polar error from two or more frames");
    poleCommand->add_option("frames", pole.frames, "FITS frames, the mount turned in RA between them")
        ->required()
        ->expected(2, 1000);
    poleCommand->add_option("--latitude", latitude, "degrees, north positive")
        ->required()
        ->check(CLI::Range(-90.0, 90.0));
    poleCommand->add_option("--longitude", longitude, "degrees, east positive")
        ->required()
        ->check(CLI::Range(-180.0, 360.0));
    poleCommand->add_option("--height", pole.site.height_m, "metres")->check(CLI::Range(-500.0, 9000.0));
    poleCommand->add_option("--pressure", pole.site.pressure_hpa, "hPa")->check(CLI::Range(0.0, 1100.0));
    poleCommand->add_option("--temperature", pole.site.temperature_c, "°C")->check(CLI::Range(-80.0, 60.0));
    poleCommand->add_option("--reference", reference, "refracted or true")
        ->check(CLI::IsMember({"refracted", "true"}));
    poleCommand->add_option("--dut1", pole.dut1_s, "UT1 − UTC, seconds")->check(CLI::Range(-1.0, 1.0));
    poleCommand->callback([&] {
        pole.site.latitude = Angle::fromDeg(latitude);
        pole.site.longitude = Angle::fromDeg(longitude);
        pole.reference = reference == "true" ? PoleReference::geometric : PoleReference::refracted;
        status = report(commandPole(pole));
    });

    ScalesRequest scales;
    auto* scalesCommand = app.add_subcommand("scales", "Pixel scales and dither arithmetic");
    const auto positive = [&](const char* name, double& to, const char* help) {
        scalesCommand->add_option(name, to, help)->required()->check(CLI::PositiveNumber);
    };
    positive("--guide-pixel", scales.guidePixel_um, "µm");
    positive("--guide-focal", scales.guideFocal_mm, "mm");
    scalesCommand->add_option("--guide-bin", scales.guideBin, "binning")->check(CLI::Range(1, 16));
    positive("--image-pixel", scales.imagePixel_um, "µm");
    positive("--image-focal", scales.imageFocal_mm, "mm");
    scalesCommand->add_option("--image-bin", scales.imageBin, "binning")->check(CLI::Range(1, 16));
    scalesCommand->add_option("--dither", scales.dither_px, "wanted imaging pixels (10)")
        ->check(CLI::PositiveNumber);
    scalesCommand->callback([&] { status = report(commandScales(scales)); });

    std::filesystem::path table;
    auto* calibrate = app.add_subcommand("calibrate", "Guide rates from a calibration table");
    calibrate->add_option("table", table, "ECSV table")->required();
    calibrate->callback([&] { status = report(commandCalibrate(table)); });

    AnalyseRequest analysis;
    auto* analyse = app.add_subcommand("analyse", "Drift, noise, periodic error and backlash of a run");
    analyse->add_option("run", analysis.table, "ECSV run table")->required();
    analyse->add_option("--worm-period", analysis.wormPeriod_s, "seconds a turn, if known")
        ->check(CLI::Range(10.0, 7200.0));
    analyse->add_option("--report", analysis.report, "report to write, .html or .pdf")
        ->check([](const std::string& name) {
            const auto ending = std::filesystem::path(name).extension();
            return ending == ".html" || ending == ".pdf" ? std::string()
                                                         : name + " ends in neither .html nor .pdf";
        });
    analyse->callback([&] { status = report(commandAnalyse(analysis)); });

    ReplayRequest replay;
    auto* replayer = app.add_subcommand("replay", "What other settings of the loop would have left of a run");
    replayer->add_option("run", replay.table, "ECSV run table, guided or free")->required();
    addLoopOptions(*replayer, replay.wishes);
    replayer->add_flag("--search", replay.search, "look for the best settings");
    replayer->callback([&] { status = report(commandReplay(replay)); });

    SimulateRequest sim;
    std::string kind;
    auto* simulator = app.add_subcommand("simulate", "Record a run on a simulated night");
    simulator->add_option("scenario", sim.scenario, "scenario JSON")->required();
    simulator->add_option("--minutes", sim.minutes, "length of the run")
        ->required()
        ->check(CLI::Range(0.1, 1440.0));
    simulator->add_option("--kind", kind, "free, guided, backlash, calibration or series")
        ->required()
        ->check(CLI::IsMember({"free", "guided", "backlash", "calibration", "series"}));
    simulator->add_option("--seed", sim.seed, "of the random numbers");
    simulator->add_option("--out", sim.out, "table to write")->required();
    simulator->add_option("--frames", sim.frames, "folder for full frames");
    simulator->add_flag("--rendered", sim.rendered, "measure the stars on rendered pixels");
    addLoopOptions(*simulator, sim.wishes);
    simulator->add_flag("--tuned", sim.tuned,
                        "record a free run first and guide with the settings that Tune proposes from it");
    simulator->add_option("--image-exposure", sim.imageExposure_s, "of a series, seconds (180)")
        ->check(CLI::Range(0.1, 7200.0));
    simulator->add_option("--dither", sim.dither_px, "of a series, imaging pixels (10)")
        ->check(CLI::Range(0.1, 500.0));
    simulator->add_option("--dither-every", sim.ditherEvery, "frames of a series (3); 0: never")
        ->check(CLI::Range(0, 1000));
    simulator->callback([&] {
        if (kind == "series") {
            if (sim.tuned)
                throw CLI::ValidationError("--tuned",
                                           "is for runs; a series is guided with the settings given");
            status = report(simulateSeries(sim));
            return;
        }
        sim.kind = *runKindFrom(kind);
        status = report(simulate(sim));
    });

    SeriesRequest seriesFrames;
    auto* seriesCommand =
        app.add_subcommand("series", "Shapes, creep and causes of oval stars of a night's frames");
    seriesCommand->add_option("frames", seriesFrames.frames, "FITS frames of one target")
        ->required()
        ->expected(1, 5000);
    seriesCommand->add_option("--run", seriesFrames.run, "run table of the guiding meanwhile");
    seriesCommand->callback([&] { status = report(commandSeries(seriesFrames)); });

    NightRequest night;
    auto* nights = app.add_subcommand("night", "The night log: what was done, night after night");
    nights->require_subcommand(1);
    const auto nightCommand = [&](const char* name, const char* help, auto command) {
        auto* sub = nights->add_subcommand(name, help);
        sub->add_option("--data", night.data, "data folder (that of the application)");
        sub->callback([&, command] { status = report(command(night)); });
        return sub;
    };
    nightCommand("list", "The nights there are", nightList);
    auto* shown = nightCommand("show", "What was done, with figures, findings and notes", nightShow);
    auto* written = nightCommand("report", "A night as a document", nightReport);
    nightCommand("rebuild", "The log anew, from records and run tables", nightRebuild);
    for (auto* sub : {shown, written})
        sub->add_option("night", night.night, "date of its evening, 2026-10-14; all when left out");
    shown->add_option("--search", night.words, "only entries with these words");
    written->add_option("--out", night.report, "report to write, .html or .pdf")->required();

    try {
        app.parse(argc, argv);
    } catch (const CLI::Success& e) {
        return app.exit(e);
    } catch (const CLI::ParseError& e) {
        app.exit(e, std::cerr, std::cerr);
        return 2;
    } catch (const std::exception& e) {
        std::cerr << "Unexpected failure: " << e.what() << '\n';
        return 1;
    }
    return status;
}

} // namespace nordstjerna
