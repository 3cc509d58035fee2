// Several guide stars as one: each knows where it should stand, and together they tell how far the field
// has moved. Weighted by 1/σ², with stars that disagree left out. Where each should stand is known from one
// frame at first, and better with every further one: a star that is lost or found again must not move the
// aim.
#pragma once

#include <optional>
#include <vector>

#include "core/image/star.h"
#include "core/sky/tangent_plane.h"

namespace nordstjerna {

struct FieldShift {
    double dx = 0.0; // px, of the field relative to the aim
    double dy = 0.0;
    double sigma = 0.0;    // of the combination in one coordinate, px, local air motion allowed for
    double centroid = 0.0; // its share of light and camera alone, px
    int used = 0;
    double snr = 0.0;  // of the best star
    double hfd = 0.0;  // median
    double flux = 0.0; // of the best star
};

class StarGroup {
public:
    StarGroup() = default;
    explicit StarGroup(const std::vector<Star>& stars);

    struct Member {
        Star home;                // where it should stand; measured as it was when chosen
        Pixel chosen;             // where it stood then
        int looks = 1;            // that home rests on
        bool strays = false;      // it does not go with the sky as the others do
        double expected = 0.0;    // flux, as the sky lets it through lately
        std::optional<Star> seen; // in the last frame
    };
    const std::vector<Member>& members() const { return members_; }
    bool empty() const { return members_.empty(); }

    // The field was found on a whole frame: there its stars are expected, as bright as they are by now.
    void expectAt(double dx, double dy, const std::vector<Star>& seen);
    // One entry a member, absent where not found. Absent result: no star is left.
    std::optional<FieldShift> update(const std::vector<std::optional<Star>>& measured);

private:
    void refineHome(Member& m, double awayX, double awayY);
    void leaveOutStrays();
    std::vector<Member> members_;
    double lastX_ = 0.0, lastY_ = 0.0; // where the field was last
};

} // namespace nordstjerna
