#include "core/guide/star_group.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

StarGroup::StarGroup(const std::vector<Star>& stars) {
    for (const Star& s : stars)
        members_.push_back({s, {s.x, s.y}, 1, false, s.flux, s});
}

namespace {
// What stands farther from where it was chosen is no better measured star, but something that does not go
// with the sky, or a field that turns.
constexpr double farthestHome_px = 0.6;

double wayOf(const StarGroup::Member& m) {
    return std::hypot(m.home.x - m.chosen.x, m.home.y - m.chosen.y);
}
} // namespace

// Against the field as all stars have it, so that the field itself is not moved by it. The memory is some
// minutes: a field that turns takes its stars along.
void StarGroup::refineHome(Member& m, double awayX, double awayY) {
    constexpr int longest = 100; // frames
    m.looks = std::min(m.looks + 1, longest);
    const double x = m.home.x + awayX / m.looks - m.chosen.x;
    const double y = m.home.y + awayY / m.looks - m.chosen.y;
    const double far = std::hypot(x, y);
    const double within = far > farthestHome_px ? farthestHome_px / far : 1.0;
    m.home.x = m.chosen.x + within * x;
    m.home.y = m.chosen.y + within * y;
}

// A hot pixel, a ghost: one that went away while the others stayed. It votes no more, and what it drew the
// others by is given back.
void StarGroup::leaveOutStrays() {
    const auto all = static_cast<std::ptrdiff_t>(members_.size());
    const auto stays = [](const Member& m) { return !m.strays && wayOf(m) < 0.5 * farthestHome_px; };
    if (3 * std::count_if(members_.begin(), members_.end(), stays) < 2 * all)
        return;
    bool found = false;
    for (Member& m : members_)
        if (!m.strays && wayOf(m) > 0.95 * farthestHome_px)
            found = m.strays = true;
    if (!found)
        return;
    std::vector<double> xs;
    std::vector<double> ys;
    for (const Member& m : members_)
        if (!m.strays) {
            xs.push_back(m.home.x - m.chosen.x);
            ys.push_back(m.home.y - m.chosen.y);
        }
    for (Member& m : members_) {
        m.home.x -= mean(xs);
        m.home.y -= mean(ys);
    }
}

void StarGroup::expectAt(double dx, double dy, const std::vector<Star>& seen) {
    lastX_ = dx, lastY_ = dy;
    constexpr double there_px = 3.0;
    for (Member& m : members_) {
        const auto away = [&](const Star& s) { return std::hypot(s.x - m.home.x - dx, s.y - m.home.y - dy); };
        const auto nearest = std::ranges::min_element(seen, {}, away);
        if (nearest != seen.end() && away(*nearest) < there_px)
            m.expected = nearest->flux;
    }
}

std::optional<FieldShift> StarGroup::update(const std::vector<std::optional<Star>>& measured) {
    struct Vote {
        size_t member;
        double dx, dy, sigma, own;
    };
    std::vector<Vote> votes;
    for (size_t i = 0; i < members_.size(); ++i) {
        members_[i].seen = i < measured.size() && !members_[i].strays ? measured[i] : std::nullopt;
        if (!members_[i].seen)
            continue;
        const Star& s = *members_[i].seen;
        // Air moves stars apart from each other too, so that even a bright star may not outvote all.
        const double own = 0.5 * (s.sigmaX + s.sigmaY);
        const double sigma = std::hypot(own, 0.05);
        votes.push_back({i, s.x - members_[i].home.x, s.y - members_[i].home.y, sigma, own});
    }
    // A neighbour in a star's window has another brightness, measured against what cloud does to all of them.
    std::vector<double> ratios;
    for (const Vote& v : votes)
        if (members_[v.member].home.flux > 0.0 && members_[v.member].seen->flux > 0.0)
            ratios.push_back(std::log(members_[v.member].seen->flux / members_[v.member].home.flux));
    const double common = ratios.size() >= 3 ? median(ratios) : 0.0;
    const bool few = members_.size() < 3;
    std::erase_if(votes, [&](const Vote& v) {
        const Star& home = members_[v.member].home;
        const Star& seen = *members_[v.member].seen;
        if (home.flux <= 0.0 || seen.flux <= 0.0)
            return false;
        if (few) {
            // Nobody to compare with: the sky may have cleared or thickened, but not by that much between two
            // frames. The window is small, so that its place speaks for a star.
            constexpr double atOnce = 5.0;
            constexpr double step_px = 4.0; // farther from where it was last, it must look the same too
            const double change = std::abs(std::log(seen.flux / members_[v.member].expected));
            const bool far = std::hypot(v.dx - lastX_, v.dy - lastY_) > step_px;
            const bool stranger = change > std::log(far ? 2.5 : atOnce);
            if (stranger)
                members_[v.member].seen.reset();
            return stranger;
        }
        const double ratio = std::log(seen.flux / home.flux) - common;
        // Brighter than before never comes from cloud; fainter does, unless the others stay.
        const bool impostor = ratio > std::log(3.0) || (ratios.size() >= 3 && ratio < -std::log(3.0));
        if (impostor)
            members_[v.member].seen.reset();
        return impostor;
    });
    if (votes.empty())
        return std::nullopt;
    // Two that went different ways: at least one is another star, and nobody knows which.
    constexpr double apart_px = 2.0;
    if (few && votes.size() == 2 &&
        std::hypot(votes[0].dx - votes[1].dx, votes[0].dy - votes[1].dy) > apart_px) {
        for (const Vote& v : votes)
            members_[v.member].seen.reset();
        return std::nullopt;
    }
    if (votes.size() >= 3) {
        std::vector<double> xs;
        std::vector<double> ys;
        for (const Vote& v : votes)
            xs.push_back(v.dx), ys.push_back(v.dy);
        const double mx = median(xs);
        const double my = median(ys);
        const double scatter = std::max(0.15, std::hypot(robustSigma(xs), robustSigma(ys)));
        std::erase_if(votes, [&](const Vote& v) {
            const double away = std::hypot(v.dx - mx, v.dy - my);
            const bool out = away > 4.0 * std::hypot(scatter, v.sigma);
            if (out)
                members_[v.member].seen.reset();
            return out;
        });
        if (votes.empty())
            return std::nullopt;
    }
    // Cloud takes the faint stars first. A few faint ones left while brighter ones are gone are others, seen
    // in the windows of a field that is no longer there.
    if (3 * votes.size() < members_.size()) {
        double brightest = 0.0;
        for (const Vote& v : votes)
            brightest = std::max(brightest, members_[v.member].home.flux);
        const auto gone = std::count_if(members_.begin(), members_.end(), [&](const Member& m) {
            return !m.seen && m.home.flux > 1.3 * brightest;
        });
        if (gone >= 2) {
            for (const Vote& v : votes)
                members_[v.member].seen.reset();
            return std::nullopt;
        }
    }
    FieldShift shift;
    double weights = 0.0;
    std::vector<double> hfd;
    for (const Vote& v : votes) {
        const double w = 1.0 / (v.sigma * v.sigma);
        shift.dx += w * v.dx;
        shift.dy += w * v.dy;
        weights += w;
        shift.centroid += w * w * v.own * v.own;
        const Star& s = *members_[v.member].seen;
        members_[v.member].expected += 0.2 * (s.flux - members_[v.member].expected);
        hfd.push_back(s.hfd);
        if (s.snr > shift.snr) {
            shift.snr = s.snr;
            shift.flux = s.flux;
        }
    }
    shift.dx /= weights;
    shift.dy /= weights;
    shift.sigma = 1.0 / std::sqrt(weights);
    shift.centroid = std::sqrt(shift.centroid) / weights;
    lastX_ = shift.dx;
    lastY_ = shift.dy;
    if (votes.size() > 1)
        for (const Vote& v : votes)
            refineHome(members_[v.member], v.dx - shift.dx, v.dy - shift.dy);
    leaveOutStrays();
    shift.used = static_cast<int>(votes.size());
    shift.hfd = median(std::move(hfd));
    return shift;
}

} // namespace nordstjerna
