#include "edge/store/series_table.h"

#include "core/base/number_text.h"
#include "core/rig/scales.h"
#include "edge/store/append_file.h"
#include "edge/store/ecsv.h"

namespace nordstjerna {

Expected<void> writeSeriesTable(const std::filesystem::path& path, const SeriesSetup& setup,
                                const std::vector<SeriesFrame>& frames) {
    const double scale = scalesOf(setup.rig).image_arcsec_px;
    const Equatorial target = equatorialFrom(setup.target);
    std::string text = ecsvHeader({{"frame", "", "int32"},
                                   {"start_utc", "", "string"},
                                   {"t", "s", "float64"},
                                   {"exposure", "s", "float64"},
                                   {"side", "", "string"},
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
                                   {"remark", "", "string"}},
                                  {"format: nordstjerna-series 1", "target: " + yamlText(setup.targetName),
                                   "pointing: {ra: " + numberText(target.ra.deg(), 6) +
                                       ", dec: " + numberText(target.dec.deg(), 6) + "}",
                                   "scales: {image_arcsec_px: " + numberText(scale, 5) + "}"});
    for (const SeriesFrame& f : frames) {
        const auto cell = [&](const std::string& value) { text += " " + value; };
        text += std::to_string(f.number);
        cell(ecsvText(formatInstant(f.start)));
        cell(ecsvNumber(f.start - frames.front().start, 3));
        cell(ecsvNumber(f.exposure_s, 3));
        cell(ecsvText(f.side));
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
        cell(ecsvNumber(f.guide.mountPart_arcsec(), 4));
        cell(std::to_string(f.guide.lost));
        cell(f.settled ? "True" : "False");
        cell(ecsvText(remarkWord(f.remark)));
        text += "\n";
    }
    return writeWhole(path, text, false);
}

} // namespace nordstjerna
