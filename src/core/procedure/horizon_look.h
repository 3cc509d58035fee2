// A slow look around at dusk: where stars end, the local horizon begins. At each azimuth the telescope goes
// down until the stars are gone and comes half of the way back, and so on; between azimuths whose horizons
// differ it looks once more.
#pragma once

#include <deque>

#include "core/procedure/arrival.h"
#include "core/rig/rig.h"

namespace nordstjerna {

struct HorizonLookSetup {
    Rig rig; // its own horizon is not asked: it is what is looked for
    double exposure_s = 1.5;
    double settle_s = 0.5; // stars are counted, not measured
    double azimuthStep_deg = 12.0;
    double finestStep_deg = 1.5; // between azimuths that differ
    double alike_deg = 3.0;      // in altitude
    double within_deg = 1.0;     // of altitude, then an azimuth is known
    double highest_deg = 75.0;
};

// What stands at one azimuth.
struct HorizonFound {
    Angle azimuth;
    // ±: of the gap between the lowest place with stars and the highest without, of the field's height, of
    // where the mount points, and of how steeply the horizon runs there.
    Measured altitude_deg;
    double sigmaLevel_deg = 0.0; // the same where it runs level
    bool open = false;   // stars down to the lowest place that the mount may go to; the altitude is that
    bool closed = false; // none up to the highest place
};

class HorizonLook : public Procedure {
public:
    explicit HorizonLook(HorizonLookSetup setup);
    Progress progress() const override;
    Text name() const override { return Text::say("A look around"); }

    // So far, by azimuth.
    const std::vector<HorizonFound>& found() const { return found_; }
    // Azimuths the mount could not be sent to.
    int leftOut() const { return leftOut_; }
    int frames() const { return frames_; }
    std::shared_ptr<const Frame> frame() const { return frame_; }

protected:
    Step advance(const Event& event) override;

private:
    enum class Phase { start, arriving, exposing, solving };
    struct Column {
        double azimuth_deg = 0.0;
        std::optional<double> lowestFree_deg, highestHidden_deg; // as far as seen
        double at_deg = 0.0;                                     // being looked at
        double stride_deg = 4.0;                                 // of the search, before both ends are known
        double freeShare = 1.0; // of the field at lowestFree_deg, by its stars
    };
    Step to(double azimuth_deg, double altitude_deg, const Event& event);
    Step seen(int stars, const Event& event);
    double fieldHeight_deg() const;
    Step nextColumn(const Event& event);
    std::optional<double> nextAltitude() const;
    void close();
    void lookBetween();
    void allowForSlopes();
    double lowest_deg() const;
    double guess_deg(double azimuth_deg) const;
    // Stars of a free field so high: fewer come through the thick air low down.
    double expected(double altitude_deg) const;
    Step checkReference(int stars, const Event& event);

    HorizonLookSetup setup_;
    double exposure_s_;
    Phase phase_ = Phase::start;
    Arrival arrival_;
    int reference_ = 0; // stars of a field that is free for certain
    bool solved_ = false;
    std::deque<double> ahead_;     // azimuths, °
    std::optional<Column> column_; // absent: the free field is looked at
    std::vector<HorizonFound> found_;
    std::shared_ptr<const Frame> frame_;
    int leftOut_ = 0;
    int frames_ = 0;
    int columnsSince_ = 0; // the reference was looked at
    bool last_ = false;    // the reference is looked at for the last time
    size_t planned_ = 0;
};

// Of what was found, by azimuth. Where nothing was found, that of before stays.
HorizonProfile horizonFrom(const std::vector<HorizonFound>& found, const HorizonProfile& before);

} // namespace nordstjerna
