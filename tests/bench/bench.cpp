// nordstjerna-bench: how fast and how exact. Prints one line a figure; nothing here is a test.
#include <QApplication>
#include <QTemporaryDir>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdio>
#include <cstdlib>
#include <fstream>

extern "C" {
#include <sep.h>
}

#include "begin_bench.h"
#include "bench_clock.h"
#include "core/base/number_text.h"
#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/findings/run_story.h"
#include "core/image/guide_star_choice.h"
#include "core/image/star_measure.h"
#include "core/motion/axis_summary.h"
#include "core/motion/spectrum.h"
#include "core/pole/lever_fit.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/guiding.h"
#include "core/procedure/pole_measurement.h"
#include "core/rig/scales.h"
#include "core/sky/observed_frame.h"
#include "desk/main_window.h"
#include "desk/pictures/lane_chart.h"
#include "desk/start.h"
#include "desk/theme.h"
#include "edge/devices/sim/simulated_night.h"
#include "edge/platesolve/plate_solver.h"
#include "edge/runner.h"
#include "field_bench.h"
#include "latency_bench.h"
#include "log_bench.h"
#include "loop_bench.h"
#include "memory_bench.h"
#include "night_fixture.h"
#include "synthetic_frame.h"
#include "wire_bench.h"
#include "worlds_bench.h"

using namespace nordstjerna;

namespace {

// Median of several runs, milliseconds.
double medianMs(int runs, const std::function<void()>& work) {
    std::vector<double> all;
    for (int i = 0; i < runs; ++i)
        all.push_back(1000.0 * seconds(work));
    return median(std::move(all));
}

void say(const char* what, double value, const char* unit, const char* wanted) {
    std::printf("%-58s %10.3f %-6s (wanted %s)\n", what, value, unit, wanted);
    std::fflush(stdout);
}

const StopFlag never{false};

void axis() {
    Site site;
    site.latitude = Angle::fromDeg(58.35);
    double worst = 0.0;
    Random random(1);
    for (int i = 0; i < 200; ++i) {
        const Vec3 axis =
            axisWithError(site, PoleReference::geometric, random.uniform(-60, 60), random.uniform(-60, 60));
        std::vector<Sighting> sightings;
        const Vec3 z = (axis * 0.4 + axis.unitOrthogonal()).normalized();
        Mat3 first;
        const Vec3 y = z.unitOrthogonal();
        first << y.cross(z), y, z;
        for (int k = 0; k < 3; ++k) {
            Sighting s;
            s.camera = Eigen::AngleAxisd(Angle::fromDeg(20.0 * k).rad(), axis).toRotationMatrix() * first;
            sightings.push_back(s);
        }
        worst = std::max(worst, separation(fitAxis(sightings, site)->axis, axis).arcsec());
    }
    say("axis from three noise-free sightings 20 deg apart, worst", worst, "arcsec", "<= 0.05");

    SimulatedNight night(demoScenario(), sharedIndex());
    PoleMeasurementSetup setup;
    setup.rig = night.scenario().rig;
    setup.arc = *planSightings(setup.rig, planWishesFor(setup.rig, 3));
    PoleMeasurement measurement(setup);
    Devices devices = night.devices();
    RunnerControl control;
    const double t = seconds([&] { static_cast<void>(runProcedure(measurement, devices, control)); });
    AxisFit truth;
    truth.axis = night.trueAxis();
    const PoleError e = poleError(truth, site, PoleReference::refracted);
    if (measurement.result()) {
        const PoleError& m = measurement.result()->error;
        say("axis from rendered frames of the demo, off the truth",
            std::hypot(m.east_arcmin.value - e.east_arcmin.value, m.high_arcmin.value - e.high_arcmin.value),
            "arcmin", "<= 0.1");
        say("  stated uncertainty of the worse direction", errorEllipse(m.covariance_arcmin2).major, "arcmin",
            "honest");
    }
    say("  computing for the whole measurement", t, "s", "-");
}

void frames() {
    SimulatedNight night(demoScenario(), sharedIndex());
    std::shared_ptr<const Frame> frame;
    say("render of a 1920x1200 frame", medianMs(15, [&] { frame = *night.guideCamera().expose(2.0, never); }),
        "ms", "<= 40");

    Expected<StarField> field = detectStars(*frame);
    const double ours = medianMs(9, [&] { field = detectStars(*frame); });
    const double theirs = medianMs(9, [&] {
        std::vector<float> flat = frame->pixels;
        sep_image image{};
        image.data = flat.data();
        image.dtype = SEP_TFLOAT;
        image.w = frame->width;
        image.h = frame->height;
        sep_bkg* background = nullptr;
        sep_background(&image, 64, 64, 3, 3, 0.0, &background);
        sep_bkg_subarray(background, flat.data(), SEP_TFLOAT);
        sep_catalog* catalog = nullptr;
        sep_extract(&image, 5.0F * sep_bkg_globalrms(background), SEP_THRESH_ABS, 5, nullptr, 0, 0,
                    SEP_FILTER_CONV, 32, 0.005, 1, 1.0, &catalog);
        sep_catalog_free(catalog);
        sep_bkg_free(background);
    });
    say("detect and measure all stars of it", ours, "ms", "<= 60");
    say("  against sep background + extract alone, ratio", ours / theirs, "x", "-");

    const auto stars =
        chooseGuideStars(*field, frame->width, frame->height, frame->info.saturation_adu, {.most = 12});
    const int count = stars ? static_cast<int>(stars->size()) : 0;
    const double track = medianMs(200, [&] {
        for (const Star& s : *stars)
            static_cast<void>(findAndMeasure(*frame, s.x, s.y, 8.0));
    });
    say("centroids of twelve tracked stars", track * 12.0 / std::max(1, count), "ms", "<= 1");

    std::vector<double> hinted;
    Random random(7);
    Scenario free = perfectScenario();
    free.rig.horizon = {};
    SimulatedNight everywhere(free, sharedIndex());
    for (int i = 0; i < 25; ++i) {
        static_cast<void>(everywhere.mount().slew(
            {Angle::fromHours(random.uniform(-4, 4)), Angle::fromDeg(random.uniform(0, 75))}, never));
        const auto shot = *everywhere.guideCamera().expose(3.0, never);
        const auto found = detectStars(*shot);
        SolveOptions options;
        options.scale_arcsec_px = 2.578;
        options.near = vectorFrom(*shot->info.pointing);
        bool ok = false;
        const double t = seconds([&] {
            ok =
                solveStars(*sharedIndex(), *found, shot->width, shot->height, {}, options, never).has_value();
        });
        if (ok)
            hinted.push_back(1000.0 * t);
    }
    say("hinted solve after detection, median of 25 fields", median(hinted), "ms", "<= 50");
    say("  fields solved", static_cast<double>(hinted.size()), "of 25", "25");
}

// The sky of a moment, over ERFA's way of doing all of it at once.
void skies() {
    constexpr int moments = 2000;
    const Site site;
    const Instant start{1.7920e9};
    double sum = 0.0; // so that nothing is left out
    const double ours = seconds([&] {
        for (int i = 0; i < moments; ++i)
            sum += ObservedFrame(site, start + 15.0 * i).siderealTime().rad();
    });
    const double whole = seconds([&] {
        for (int i = 0; i < moments; ++i) {
            const Instant when = start + 15.0 * i;
            eraASTROM astrom;
            double eo = 0.0;
            eraApco13(when.jd1(), when.jd2(), 0.0, site.longitude.rad(), site.latitude.rad(), site.height_m,
                      0.0, 0.0, site.pressure_hpa, site.temperature_c, site.humidity, 0.55, &astrom, &eo);
            sum -= astrom.eral - eo;
        }
    });
    say("sky of a moment, over eraApco13", ours / whole, "x", "<= 0.1");
    if (!std::isfinite(sum))
        std::abort();
}

// From a new frame to new figures while adjusting: detect, solve with the hint, fit the levers.
void adjusting() {
    SimulatedNight night(demoScenario(), sharedIndex());
    const Rig rig = night.scenario().rig;
    static_cast<void>(night.mount().slew({Angle::fromDeg(-30), Angle::fromDeg(30)}, never));
    night.clock().sleep(5.0, never);
    std::optional<LeverReference> reference;
    std::vector<double> times;
    for (int i = 0; i < 12; ++i) {
        const auto shot = *night.guideCamera().expose(2.0, never);
        times.push_back(
            1000.0 * seconds([&] {
                SolveOptions options;
                options.scale_arcsec_px = scalesOf(rig).guide_arcsec_px;
                const auto solved = solveFrame(*sharedIndex(), *shot, options, never);
                if (!solved)
                    return;
                const Sighting s =
                    makeSighting(*solved, ObservedFrame(rig.site, solved->when), airMotion_arcsec(2.0));
                if (!reference)
                    reference = LeverReference{s, elevatedPole(rig.site, true), Eigen::Matrix2d::Zero()};
                static_cast<void>(fitLevers(*reference, s, rig.site));
            }));
    }
    say("adjusting: from a 1920x1200 frame to new lever figures, median", median(times), "ms", "<= 150");
}

void blindSolving() {
    Random random(11);
    Scenario free = perfectScenario();
    free.rig.horizon = {};
    SimulatedNight everywhere(free, sharedIndex());
    std::vector<double> times;
    int solvedCount = 0;
    for (int i = 0; i < 50; ++i) {
        static_cast<void>(everywhere.mount().slew(
            {Angle::fromHours(random.uniform(-4, 4)), Angle::fromDeg(random.uniform(-5, 80))}, never));
        everywhere.clock().sleep(5.0, never);
        Frame shot = **everywhere.guideCamera().expose(3.0, never);
        shot.info.pointing.reset();
        SolveOptions options;
        options.scale_arcsec_px = 2.578 * random.uniform(0.85, 1.15);
        options.scaleTolerance = 0.2;
        times.push_back(
            seconds([&] { solvedCount += solveFrame(*sharedIndex(), shot, options, never).has_value(); }));
    }
    say("blind solve, scale to 20 %, detection included, median of 50 fields", median(times), "s", "<= 1");
    say("  fields solved", solvedCount, "of 50", "50");
    int wrong = 0;
    for (int i = 0; i < 200; ++i) {
        StarField field;
        for (int k = 0; k < 60; ++k) {
            Star star;
            star.x = random.uniform(0, 1920);
            star.y = random.uniform(0, 1200);
            star.sigmaX = star.sigmaY = 0.05;
            star.flux = 1e5 / (k + 1);
            field.stars.push_back(star);
        }
        SolveOptions options;
        options.scale_arcsec_px = 2.578;
        options.scaleTolerance = 0.2;
        options.timeLimit_s = 0.5;
        wrong += solveStars(*sharedIndex(), field, 1920, 1200, {}, options, never).has_value();
    }
    say("false solves in 200 frames of invented stars", wrong, "", "0");
}

void centroids() {
    using namespace testing_frames;
    double worst = 0.0;
    for (double snr : {20.0, 60.0, 200.0}) {
        const double sigma = 1.2;
        const double noise = 9.0;
        const double gain = 0.8;
        double flux = 100.0;
        for (int i = 0; i < 60; ++i)
            flux = snr * std::sqrt(flux / gain + 4.0 * M_PI * sigma * sigma * noise * noise);
        Random random(static_cast<std::uint64_t>(snr));
        double squares = 0.0;
        double bound = 0.0;
        for (int i = 0; i < 1000; ++i) {
            const double x = 20.0 + random.uniform(-0.5, 0.5);
            Frame f = noiseFrame(41, 41, 300.0, noise, random);
            f.info.gain_e_adu = gain;
            addStar(f, x, 20.0, flux, sigma, random, gain);
            if (const auto star = measureStar(f, 20.0, 20.0))
                squares += std::pow(star->x - x, 2);
            bound += std::pow(cramerRao(flux, sigma, noise, gain, x - 20.0, 0.0), 2);
        }
        worst = std::max(worst, std::sqrt(squares / bound));
    }
    say("centroid error against the Cramer-Rao bound, SNR 20-200", worst, "x", "<= 1.25");
}

void hour(bool rendered) {
    SimulatedNight night(demoScenario(), sharedIndex());
    Devices devices = night.devices();
    RunnerControl control;
    CalibrationRun calibration({night.scenario().rig});
    if (!runProcedure(calibration, devices, control))
        return;
    GuidingSetup setup;
    setup.rig = night.scenario().rig;
    setup.calibration = *calibration.result();
    setup.length_s = 3600.0;
    Guiding guiding(setup);
    if (!rendered)
        devices.track = night.trackDirectly();
    const double t = seconds([&] { static_cast<void>(runProcedure(guiding, devices, control)); });
    say(rendered ? "one simulated hour of guiding at 2 s, rendered windows"
                 : "one simulated hour of guiding at 2 s, direct centroids",
        t, "s", rendered ? "<= 90" : "<= 1");
    if (const auto s = summarise(guiding.run()))
        say("  total RMS of it", s->totalRms_arcsec, "arcsec", "-");
}

// An invented free run: worm, gear, drift, noise.
Run freeRun(double hours, double pace_s) {
    Random random(5);
    Run run;
    run.meta.kind = RunKind::free;
    run.meta.start = *parseInstant("2026-10-14T18:00:00");
    for (double t = 0.0; t < 3600.0 * hours; t += pace_s) {
        RunRow r;
        r.t_s = t + 0.1 * random.uniform(-1.0, 1.0);
        r.dra_arcsec = 7.0 * std::sin(2 * M_PI * t / 432.0) + 1.5 * std::sin(4 * M_PI * t / 432.0 + 1.0) +
                       0.5 * std::sin(2 * M_PI * t / 63.7) + 0.01 * t / 60.0 + 0.4 * random.gaussian();
        r.ddec_arcsec = -0.02 * t / 60.0 + 0.4 * random.gaussian();
        r.stars = 5;
        run.rows.push_back(r);
    }
    return run;
}

void spectrum() {
    // 15 000 samples, five frequencies a peak up to half a sample's.
    const Run run = freeRun(15000 * 2.0 / 3600.0, 2.0);
    std::vector<double> t;
    std::vector<double> v;
    QTemporaryDir folder;
    const std::string path = folder.filePath("series.txt").toStdString();
    std::ofstream file(path);
    file.precision(12);
    for (const RunRow& r : run.rows) {
        t.push_back(r.t_s);
        v.push_back(r.dra_arcsec);
        file << r.t_s << ' ' << r.dra_arcsec << '\n';
    }
    file.close();
    const double span = t.back() - t.front();
    const double first = 1.2 / span;
    const double step = 0.2 / span;
    const auto count = static_cast<size_t>((0.25 - first) / step);
    Spectrum ours;
    const double ms = medianMs(7, [&] { ours = lombScargle(t, v, first, step, count); });
    say("Lomb-Scargle, 15 000 samples", ms, "ms", "-");
    char command[512];
    std::snprintf(command, sizeof command,
                  "/usr/bin/python3 %s/tests/bench/astropy_spectrum.py %s %.17g %.17g %zu", SOURCE_DIR,
                  path.c_str(), first, step, count);
    double theirs_s = 0.0;
    double greatest = 0.0;
    if (FILE* pipe = popen(command, "r")) {
        if (std::fscanf(pipe, "%lf %lf", &theirs_s, &greatest) == 2) {
            say("  time of astropy's fast method / ours", 1000.0 * theirs_s / ms, "x", "> 1");
            std::printf("%-58s %10.1e        (its fast method is itself approximate)\n",
                        "  difference of the greatest power",
                        std::abs(greatest - *std::max_element(ours.power.begin(), ours.power.end())));
        } else {
            std::printf("  astropy not found; no ratio\n");
        }
        pclose(pipe);
    }
}

void analysis() {
    const Run night = freeRun(8.0, 2.0);
    say("analysis of eight hours at 2 s, worm not known",
        medianMs(5, [&] { static_cast<void>(analyseMotion(night, 0.0)); }), "ms", "<= 300");
    say("  the same, worm known", medianMs(5, [&] { static_cast<void>(analyseMotion(night, 432.0)); }), "ms",
        "<= 300");
    RunSurroundings around;
    around.wormPeriod_s = 432.0;
    say("  with the search for better settings",
        medianMs(5, [&] { static_cast<void>(tellRun(night, around)); }), "ms", "<= 2000");
    const Run huge = freeRun(100000 * 2.0 / 3600.0, 2.0);
    say("100 000 rows, analysed", medianMs(3, [&] { static_cast<void>(analyseMotion(huge, 0.0)); }), "ms",
        "-");
    say("  with the search", medianMs(3, [&] { static_cast<void>(tellRun(huge)); }), "ms", "-");
}

void lanes() {
    const Run run = freeRun(30000 * 2.0 / 3600.0, 2.0);
    for (bool free : {true, false}) {
        LaneChart chart;
        chart.resize(780, 400);
        chart.setFree(free);
        chart.show(run, 0.3, 0.3);
        chart.show();
        QApplication::processEvents();
        // A frame more, then all that is in view again.
        Run grown = run;
        double t = run.rows.back().t_s;
        const double ms = medianMs(15, [&] {
            RunRow row = run.rows.front();
            row.t_s = t += 2.0;
            grown.rows.push_back(row);
            chart.show(grown, 0.3, 0.3);
            chart.repaintNow();
        });
        say(free ? "lanes, a new frame, 30 000 points all in view"
                 : "lanes, a new frame, 30 000 points, last 12 min",
            ms, "ms", "<= 16");
    }
}

void startUp() {
    QTemporaryDir data;
    std::unique_ptr<MainWindow> window;
    const double t = seconds([&] {
        loadTypefaces();
        ThemeSwitch::instance().use("Dusk");
        StartWishes wishes;
        wishes.dataFolder = data.path().toStdString();
        auto begun = beginEvening(wishes);
        window = std::make_unique<MainWindow>(std::move(*begun));
        window->show();
        QApplication::processEvents();
        static_cast<void>(window->grab());
    });
    say("start of the demo to a painted window", t, "s", "<= 1.5");
}

} // namespace

int main(int argc, char** argv) {
    if (argc > 1 && std::string(argv[1]) == "loop") {
        benchLoopSpeed();
        benchLoop(argc > 2 ? std::atoi(argv[2]) : 60, argc > 3 ? std::atoi(argv[3]) : 1, argc > 4,
                  argc > 5 ? wholeNumber(argv[5]).value_or(1.0) : 1.0);
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "worlds") {
        benchWorlds(argc > 2 ? std::atoi(argv[2]) : 60, argc > 3 ? std::atoi(argv[3]) : 1);
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "fields") {
        benchFields(argc > 2 ? std::atoi(argv[2]) : 100, argc > 3 ? std::atoi(argv[3]) : 300);
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "wire") {
        benchWire(argc > 2 ? wholeNumber(argv[2]).value_or(20.0) : 20.0);
        return 0;
    }
    if (!std::getenv("DISPLAY"))
        setenv("QT_QPA_PLATFORM", "offscreen", 0);
    if (argc > 1 && std::string(argv[1]) == "latency") {
        benchLatency(argc > 2 ? wholeNumber(argv[2]).value_or(60.0) : 60.0);
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "tune") {
        benchTune(argc > 2 ? std::atoi(argv[2]) : 60);
        return 0;
    }
    QApplication app(argc, argv);
    QApplication::setStyle("Fusion");
    if (argc > 1 && std::string(argv[1]) == "begin") {
        benchBegin();
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "memory") {
        loadTypefaces();
        benchMemory(argc > 2 ? std::atoi(argv[2]) : 30000);
        return 0;
    }
    if (argc > 1 && std::string(argv[1]) == "log") {
        loadTypefaces();
        benchLog();
        return 0;
    }
    startUp();
    benchLoopSpeed();
    benchLog();
    spectrum();
    analysis();
    lanes();
    axis();
    skies();
    centroids();
    frames();
    adjusting();
    blindSolving();
    hour(false);
    hour(true);
    return 0;
}
