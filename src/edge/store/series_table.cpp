#include "edge/store/series_table.h"

#include <algorithm>
#include <cmath>

#include "core/base/number_text.h"
#include "core/rig/scales.h"
#include "core/sky/sides.h"
#include "edge/store/append_file.h"
#include "edge/store/ecsv.h"

namespace nordstjerna {

namespace {
std::string headerOf(const SeriesSetup& setup, const TangentPlane* plane) {
    const double scale = scalesOf(setup.rig).image_arcsec_px;
    const Equatorial target = equatorialFrom(setup.target);
    std::vector<std::string> meta{"format: nordstjerna-series 1", "target: " + yamlText(setup.targetName),
                                  "pointing: {ra: " + numberText(target.ra.deg(), 6) +
                                      ", dec: " + numberText(target.dec.deg(), 6) + "}",
                                  "scales: {image_arcsec_px: " + numberText(scale, 5) + "}"};
    if (plane)
        meta.push_back("sensor: {roll_deg: " + numberText(plane->roll().deg(), 3) +
                       ", mirrored: " + (plane->mirrored() ? "true" : "false") + "}");
    return ecsvHeader({{"frame", "", "int32"},
                       {"start_utc", "", "string"},
                       {"t", "s", "float64"},
                       {"exposure", "s", "float64"},
                       {"pier_side", "", "string"},
                       {"filter", "", "string"},
                       {"stars", "", "int32"},
                       {"background", "adu", "float64"},
                       {"hfd", "pix", "float64"},
                       {"fwhm", "arcsec", "float64"},
                       {"elongation", "", "float64"},
                       {"direction", "deg", "float64"},
                       {"dither_x", "pix", "float64"},
                       {"dither_y", "pix", "float64"},
                       {"guide_ra", "arcsec", "float64"},
                       {"guide_dec", "arcsec", "float64"},
                       {"guide_rms", "arcsec", "float64"},
                       {"mount_part", "arcsec", "float64"},
                       {"guide_lost", "", "int32"},
                       {"settled", "", "bool"},
                       {"remark", "", "string"},
                       {"file", "", "string"}},
                      meta);
}

std::string rowOf(const SeriesFrame& f, Instant first, double scale) {
    std::string text = std::to_string(f.number);
    const auto cell = [&](const std::string& value) { text += " " + value; };
    cell(ecsvText(formatInstant(f.start)));
    cell(ecsvNumber(f.start - first, 3));
    cell(ecsvNumber(f.exposure_s, 3));
    cell(ecsvText(pierSideOf(f.side)));
    cell(ecsvText(f.filter));
    cell(std::to_string(f.look.stars));
    cell(ecsvNumber(f.look.background_adu, 1));
    cell(ecsvNumber(f.look.hfd_px, 3));
    cell(ecsvNumber(f.look.fwhm_px.value * scale, 3));
    cell(ecsvNumber(f.look.elongation(), 4));
    cell(ecsvNumber(f.look.angle_deg(), 1));
    cell(ecsvNumber(f.spot.x_px, 3));
    cell(ecsvNumber(f.spot.y_px, 3));
    cell(ecsvNumber(f.guide.ra_arcsec, 4));
    cell(ecsvNumber(f.guide.dec_arcsec, 4));
    cell(ecsvNumber(f.guide.total_arcsec(), 4));
    cell(ecsvNumber(f.guide.mountPart_arcsec.value_or(Measured{}).value, 4));
    cell(std::to_string(f.guide.lost));
    cell(f.settled ? "True" : "False");
    cell(ecsvText(remarkWord(f.remark)));
    cell(ecsvText(f.file));
    return text + "\n";
}
} // namespace

Expected<void> writeSeriesTable(const std::filesystem::path& path, const SeriesSetup& setup,
                                const std::vector<SeriesFrame>& frames, const TangentPlane* plane,
                                bool replace) {
    std::string text = headerOf(setup, plane);
    for (const SeriesFrame& f : frames)
        text += rowOf(f, frames.front().start, scalesOf(setup.rig).image_arcsec_px);
    return writeWhole(path, text, replace);
}

Expected<SeriesWriter> SeriesWriter::create(const std::filesystem::path& path, const SeriesSetup& setup,
                                            const TangentPlane* plane) {
    auto file = AppendFile::create(path);
    if (!file)
        return tl::unexpected(file.error());
    if (auto done = file->append(headerOf(setup, plane)); !done)
        return tl::unexpected(done.error());
    return SeriesWriter(std::move(*file), scalesOf(setup.rig).image_arcsec_px);
}

Expected<void> SeriesWriter::append(const SeriesFrame& frame) {
    if (!first_)
        first_ = frame.start;
    if (auto done = file_.append(rowOf(frame, *first_, scale_)); !done)
        return done;
    return file_.sync(); // a frame takes minutes: none is lost to a power cut
}

Expected<SeriesRecord> readSeriesTable(const std::filesystem::path& path) {
    const auto table = readEcsv(path);
    if (!table)
        return tl::unexpected(table.error());
    const auto refuse = [&](const Text& why) {
        return problem(Text::say("%1 is no table of a series.").arg(path.filename().string()), why,
                       Text::say("Choose another table."));
    };
    SeriesRecord record;
    double roll_deg = 0.0;
    bool mirrored = false;
    bool solved = false;
    try {
        if (!table->meta["format"] || table->meta["format"].as<std::string>() != "nordstjerna-series 1")
            return refuse(Text::say("Its header does not say so."));
        if (table->meta["target"])
            record.target = table->meta["target"].as<std::string>();
        record.imageScale_arcsec_px = table->meta["scales"]["image_arcsec_px"].as<double>();
        if (table->meta["sensor"]) {
            solved = true;
            roll_deg = table->meta["sensor"]["roll_deg"].as<double>();
            mirrored = table->meta["sensor"]["mirrored"].as<bool>();
        }
    } catch (const YAML::Exception& broken) {
        return refuse(std::string(broken.what()) + ".");
    }
    const double scale = record.imageScale_arcsec_px;
    if (!(scale > 0.0) || scale > 1000.0)
        return refuse(Text::say("Its scale makes no sense."));
    const auto numbers = [&](const char* name, const char* unit) { return ecsvNumbers(*table, name, unit); };
    const auto exposure = numbers("exposure", "s");
    const auto hfd = numbers("hfd", "pix");
    const auto fwhm = numbers("fwhm", "arcsec");
    const auto elongation = numbers("elongation", "");
    const auto direction = numbers("direction", "deg");
    const auto x = numbers("dither_x", "pix");
    const auto y = numbers("dither_y", "pix");
    const auto ra = numbers("guide_ra", "arcsec");
    const auto dec = numbers("guide_dec", "arcsec");
    const auto mount = numbers("mount_part", "arcsec");
    const auto stars = numbers("stars", "");
    const auto frame = numbers("frame", "");
    for (const auto* column :
         {&exposure, &hfd, &fwhm, &elongation, &direction, &x, &y, &ra, &dec, &mount, &stars, &frame})
        if (!*column)
            return tl::unexpected(column->error());
    const int start = table->find("start_utc");
    const int side = table->find("side"); // older tables: where the telescope looks
    const int pierSide = table->find("pier_side");
    const int remark = table->find("remark");
    const int file = table->find("file"); // not in older tables, nor is
    const int filter = table->find("filter");
    if (start < 0 || (side < 0 && pierSide < 0) || remark < 0)
        return refuse(Text::say("Columns are missing."));
    for (size_t i = 0; i < table->rows.size(); ++i) {
        const auto& row = table->rows[i];
        SeriesFrame f;
        f.number = static_cast<int>((*frame)[i]);
        const auto when = parseInstant(row[static_cast<size_t>(start)]);
        if (!when)
            return refuse(Text::say("Row %1: %2").arg(i + 1).arg(when.error().what));
        f.start = *when;
        f.exposure_s = (*exposure)[i];
        f.side =
            pierSide >= 0 ? lookingFrom(row[static_cast<size_t>(pierSide)]) : row[static_cast<size_t>(side)];
        if (filter >= 0)
            f.filter = row[static_cast<size_t>(filter)];
        f.look.stars = static_cast<int>((*stars)[i]);
        f.look.hfd_px = (*hfd)[i];
        f.look.fwhm_px = {(*fwhm)[i] / scale, 0.0};
        f.look.shaped = (*fwhm)[i] > 0.0 ? f.look.stars : 0;
        // The ellipticity of that elongation along that direction.
        const double e = ellipticityOf((*elongation)[i]);
        const double twice = 2.0 * Angle::fromDeg((*direction)[i]).rad();
        f.look.e1 = {e * std::cos(twice), 0.0};
        f.look.e2 = {e * std::sin(twice), 0.0};
        f.spot = {(*x)[i], (*y)[i]};
        if (file >= 0)
            f.file = row[static_cast<size_t>(file)];
        f.guide.ra_arcsec = (*ra)[i];
        f.guide.dec_arcsec = (*dec)[i];
        if ((*mount)[i] > 0.0) // 0: not known
            f.guide.mountPart_arcsec = Measured{(*mount)[i], 0.0};
        f.guide.looks = (*ra)[i] > 0.0 || (*dec)[i] > 0.0 ? 1 : 0;
        for (Remark r : {Remark::track, Remark::cloud, Remark::bump, Remark::unguided, Remark::unsettled,
                         Remark::unsharp})
            if (row[static_cast<size_t>(remark)] == remarkWord(r))
                f.remark = r;
        record.frames.push_back(std::move(f));
    }
    if (solved) {
        TangentPlane plane;
        const double s = Angle::fromArcsec(scale).rad();
        const double c = s * std::cos(Angle::fromDeg(roll_deg).rad());
        const double d = s * std::sin(Angle::fromDeg(roll_deg).rad());
        const double east = mirrored ? 1.0 : -1.0;
        plane.cd << east * c, d, -east * d, c;
        record.plane = plane;
    }
    return record;
}

} // namespace nordstjerna
