#include "tool/command_line.h"

#include <deque>
#include <functional>
#include <iostream>

#include "core/base/number_text.h"
#include "edge/store/json_reader.h"
#include "tool/arguments.h"
#include "tool/devices.h"
#include "tool/loop_filter.h"
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

struct Command {
    Arguments arguments;
    std::function<int()> run; // exit status
};

// A deque, so that what add() gives stays where it is.
class Commands {
public:
    Commands() {
        frameCommands();
        scaleCommand();
        runCommands();
        compareCommand();
        loopCommand();
        devicesCommand();
        simulateCommand();
        nightCommands();
    }

    const std::deque<Command>& all() const { return list_; }

private:
    Arguments& add(const char* name, const char* help, std::function<Expected<Json>()> run) {
        list_.push_back({Arguments(name, help), [run = std::move(run)] { return report(run()); }});
        return list_.back().arguments;
    }

    static Taken oneMore(std::vector<std::filesystem::path>& to) {
        return [&to](const std::string& text) { to.emplace_back(text); };
    }

    static Taken document(std::function<void(const std::filesystem::path&)> take) {
        return [take = std::move(take)](const std::string& text) {
            const auto ending = std::filesystem::path(text).extension();
            if (ending != ".html" && ending != ".pdf")
                throw WrongUsage("it ends in neither .html nor .pdf.");
            take(text);
        };
    }

    void placeHint(Arguments& command) {
        PlaceHint& hint = solve_.hint;
        command.option("scale", "expected scale, arcsec/px", positive(hint.scale_arcsec_px));
        command.option("scale-tolerance", "relative tolerance of the scale (0.1)",
                       into(hint.scaleTolerance, 0.001, 5.0));
        command.option("ra", "expected right ascension, degrees", into(hint.ra_deg, 0.0, 360.0));
        command.option("dec", "expected declination, degrees", into(hint.dec_deg, -90.0, 90.0));
        command.together("ra", "dec");
        command.option("radius", "search radius, degrees (10)", into(hint.radius_deg, 0.1, 180.0));
        command.option("roll", "expected position angle of the sensor's +y axis, degrees",
                       into(hint.roll_deg, -360.0, 360.0));
        command.option("roll-tolerance", "tolerance of the roll, degrees (3)",
                       into(hint.rollTolerance_deg, 0.01, 180.0));
    }

    void frameCommands() {
        add("stars", "Stars of a frame", [this] {
            return commandStars(frame_);
        }).word("FRAME", "FITS frame", into(frame_));

        Arguments& solve = add("solve", "Plate-solve a frame", [this] { return commandSolve(solve_); });
        solve.word("FRAME", "FITS frame", into(solve_.frame));
        placeHint(solve);
        solve.option("write", "copy of the frame with the solution", into(solve_.write));

        Arguments& check = add("check-field", "What the star index files can do for a frame",
                               [this] { return commandCheckField(frame_, solve_.hint); });
        check.word("FRAME", "FITS frame", into(frame_));
        placeHint(check);

        Arguments& pole = add("pole", "Polar error from two or more frames", [this] {
            pole_.site.latitude = Angle::fromDeg(latitude_deg_);
            pole_.site.longitude = Angle::fromDeg(longitude_deg_);
            return commandPole(pole_);
        });
        pole.word("FRAME", "FITS frames, the mount turned in RA between them", oneMore(pole_.frames), 2,
                  1000);
        pole.needed("latitude", "degrees, north positive", into(latitude_deg_, -90.0, 90.0));
        pole.needed("longitude", "degrees, east positive", into(longitude_deg_, -180.0, 360.0));
        pole.option("height", "metres", into(pole_.site.height_m, -500.0, 9000.0));
        pole.option("pressure", "hPa", into(pole_.site.pressure_hpa, 0.0, 1100.0));
        pole.option("temperature", "°C", into(pole_.site.temperature_c, -80.0, 60.0));
        pole.option("reference", "refracted (default) or true", [this](const std::string& v) {
            mustBeOneOf(v, {"refracted", "true"});
            pole_.reference = v == "true" ? PoleReference::geometric : PoleReference::refracted;
        });
        pole.option("dut1", "UT1 − UTC, seconds", into(pole_.dut1_s, -1.0, 1.0));

        Arguments& series = add("series", "Shapes, flexure and causes of oval stars of a night's frames",
                                [this] { return commandSeries(series_); });
        series.word("FRAME", "FITS frames of one target", oneMore(series_.frames), 1, 5000);
        series.option("run", "run table of the guiding meanwhile", into(series_.run));
    }

    void scaleCommand() {
        Arguments& scales =
            add("scales", "Pixel scales and dither arithmetic", [this] { return commandScales(scales_); });
        scales.needed("guide-pixel", "µm", positive(scales_.guidePixel_um));
        scales.needed("guide-focal", "mm", positive(scales_.guideFocal_mm));
        scales.option("guide-bin", "binning (1)", into(scales_.guideBin, 1, 16));
        scales.needed("image-pixel", "µm", positive(scales_.imagePixel_um));
        scales.needed("image-focal", "mm", positive(scales_.imageFocal_mm));
        scales.option("image-bin", "binning (1)", into(scales_.imageBin, 1, 16));
        scales.option("dither", "wanted imaging pixels (10)", positive(scales_.dither_px));
    }

    void runCommands() {
        add("calibrate", "Guide rates from a calibration table", [this] {
            return commandCalibrate(table_);
        }).word("TABLE", "ECSV table", into(table_));

        Arguments& analyse = add("analyse", "Drift, noise, periodic error and backlash of a run",
                                 [this] { return commandAnalyse(analysis_); });
        analyse.word("RUN", "ECSV run table", into(analysis_.table));
        analyse.option("worm-period", "seconds a turn, if known", into(analysis_.wormPeriod_s, 10.0, 7200.0));
        analyse.option("report", "report to write, .html or .pdf",
                       document([this](const auto& path) { analysis_.report = path; }));

        Arguments& replay =
            add("replay", "Re-run the loop with other settings", [this] { return commandReplay(replay_); });
        replay.word("RUN", "ECSV run table, guided or free", into(replay_.table));
        addLoopOptions(replay, replay_.wishes);
        replay.flag("search", "look for the best settings", replay_.search);
    }

    void compareCommand() {
        Arguments& compare = add("compare", "Which of two runs left less of the mount's motion",
                                 [this] { return commandCompare(compared_[0], compared_[1]); });
        compare.word("RUN", "two ECSV run tables, guided or free", oneMore(compared_), 2, 2);
    }

    void loopCommand() {
        list_.push_back({Arguments("loop", "The guide loop as a filter on lines of JSON"), runLoopFilter});
    }

    void devicesCommand() {
        Arguments& devices = add("devices", "What a device server offers",
                                 [this] { return commandDevices(server_, connects_); });
        devices.needed("server", "HOST or HOST:PORT (7624) of a server that speaks the INDI protocol",
                       into(server_));
        devices.flag("connect",
                     "let its drivers connect their devices first: only then they tell what they can",
                     connects_);
    }

    void simulateCommand() {
        Arguments& sim = add("simulate", "Record a run on a simulated night",
                             [this] { return kind_ == "series" ? simulateSeries(sim_) : simulate(sim_); });
        sim.word("SCENARIO", "scenario JSON", into(sim_.scenario));
        sim.needed("minutes", "length of the run", into(sim_.minutes, 0.1, 1440.0));
        sim.flag("tuned", "record a free run first and guide with the settings that Tune proposes from it",
                 sim_.tuned);
        sim.needed("kind", "free, guided, backlash, calibration or series", [this](const std::string& v) {
            mustBeOneOf(v, {"free", "guided", "backlash", "calibration", "series"});
            if (v == "series" && sim_.tuned)
                throw WrongUsage("--tuned is for runs; a series is guided with the settings given.");
            kind_ = v;
            if (v != "series")
                sim_.kind = *runKindFrom(v);
        });
        sim.option("seed", "random seed", [this](const std::string& v) { sim_.seed = countIn(v); });
        sim.needed("out", "table to write", into(sim_.out));
        sim.option("frames", "folder for full frames", into(sim_.frames));
        sim.flag("rendered", "measure the stars on rendered pixels", sim_.rendered);
        addLoopOptions(sim, sim_.wishes);
        sim.option("image-exposure", "of a series, seconds (180)", into(sim_.imageExposure_s, 0.1, 7200.0));
        sim.option("dither", "of a series, imaging pixels (10)", into(sim_.dither_px, 0.1, 500.0));
        sim.option("dither-every", "frames of a series (3); 0: never", into(sim_.ditherEvery, 0, 1000));
    }

    void nightCommands() {
        const auto command = [this](const char* name, const char* help, auto told) -> Arguments& {
            Arguments& a = add(name, help, [this, told] { return told(night_); });
            a.option("data", "data folder (that of the application)", into(night_.data));
            return a;
        };
        const auto date = [this](Arguments& a) {
            a.word("NIGHT", "date of its evening, 2026-10-14; all when left out", into(night_.night), 0);
        };
        command("night list", "The nights there are", nightList);
        Arguments& show = command("night show", "What was done, with figures, findings and notes", nightShow);
        date(show);
        show.option("search", "only entries with these words", into(night_.words));
        Arguments& written = command("night report", "A night as a document", nightReport);
        date(written);
        written.needed("out", "report to write, .html or .pdf", into(night_.report));
        command("night rebuild", "Rebuild the log from records and run tables", nightRebuild);
    }

    std::deque<Command> list_;
    std::filesystem::path frame_, table_;
    SolveRequest solve_;
    std::vector<std::filesystem::path> compared_;
    std::string server_;
    bool connects_ = false;
    PoleRequest pole_;
    double latitude_deg_ = 0.0;
    double longitude_deg_ = 0.0;
    SeriesRequest series_;
    ScalesRequest scales_;
    AnalyseRequest analysis_;
    ReplayRequest replay_;
    SimulateRequest sim_;
    std::string kind_;
    NightRequest night_;
};

// Of all commands, or of those that begin with this word.
std::string helpOf(const Commands& commands, const std::string& first = "") {
    std::string text = "Measures and judges mount, polar alignment and guiding from files.\n\n"
                       "Usage: nordstjerna-tool COMMAND …\n\n";
    for (const Command& c : commands.all()) {
        const std::string& name = c.arguments.command();
        if (name.rfind(first, 0) == 0)
            text += helpLine(name, c.arguments.about(), 16);
    }
    return text + "\n  COMMAND --help  what it takes\n  --version       of this program\n";
}

// The command that these words begin with, and how many words its name has.
std::pair<const Command*, size_t> commandOf(const Commands& commands, const std::vector<std::string>& words) {
    for (const Command& c : commands.all())
        for (size_t n = 1; n <= std::min<size_t>(2, words.size()); ++n)
            if (c.arguments.command() == (n == 1 ? words[0] : words[0] + " " + words[1]))
                return {&c, n};
    return {nullptr, 0};
}

// The commands that begin with this word and have a second one, by commas.
std::string groupOf(const Commands& commands, const std::string& word) {
    std::string group;
    for (const Command& c : commands.all())
        if (c.arguments.command().rfind(word + " ", 0) == 0)
            group += (group.empty() ? "" : ", ") + c.arguments.command();
    return group;
}

int run(const std::vector<std::string>& words) {
    Commands commands;
    const auto isHelp = [&](size_t i) {
        return words.size() > i && (words[i] == "--help" || words[i] == "-h");
    };
    if (isHelp(0)) {
        std::cout << helpOf(commands);
        return 0;
    }
    if (!words.empty() && words[0] == "--version") {
        std::cout << "nordstjerna-tool " NORDSTJERNA_VERSION "\n";
        return 0;
    }
    const auto [command, length] = commandOf(commands, words);
    const std::string group = command || words.empty() ? "" : groupOf(commands, words[0]);
    if (!group.empty() && isHelp(1)) {
        std::cout << helpOf(commands, words[0] + " ");
        return 0;
    }
    try {
        if (!command)
            throw WrongUsage(words.empty()   ? "A command is needed."
                             : group.empty() ? words[0] + " is no command."
                                             : "One of " + group + " is wanted.");
        if (!command->arguments.read({words.begin() + static_cast<std::ptrdiff_t>(length), words.end()})) {
            std::cout << command->arguments.help();
            return 0;
        }
    } catch (const WrongUsage& e) {
        std::cerr << e.what() << "\nMore with: nordstjerna-tool "
                  << (command ? command->arguments.command() + " " : "") << "--help\n";
        return 2;
    }
    return command->run();
}

} // namespace

int runCommandLine(int argc, char** argv) {
    pinDecimalPoint();
    try {
        return run({argv + 1, argv + argc});
    } catch (const std::exception& e) {
        std::cerr << "Unexpected failure: " << e.what() << '\n';
        return 1;
    }
}

} // namespace nordstjerna
