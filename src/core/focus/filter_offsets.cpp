#include "core/focus/filter_offsets.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <set>

namespace nordstjerna {

namespace {
constexpr double evening_s = 12.0 * 3600.0;
constexpr double least_steps = 1e-3; // no run is surer

// The runs that count, oldest first, and the evening each belongs to.
struct Evenings {
    std::vector<FocusedOnce> runs;
    std::vector<int> evening;
    int count = 0;
};

Evenings eveningsOf(const std::vector<FocusedOnce>& all) {
    Evenings e;
    for (const FocusedOnce& r : all)
        if (!r.filter.empty())
            e.runs.push_back(r);
    std::stable_sort(e.runs.begin(), e.runs.end(),
                     [](const FocusedOnce& a, const FocusedOnce& b) { return a.when < b.when; });
    for (size_t i = 0; i < e.runs.size(); ++i) {
        if (i == 0 || e.runs[i].when - e.runs[i - 1].when > evening_s)
            ++e.count;
        e.evening.push_back(e.count - 1);
    }
    return e;
}

// Filters that met on one evening belong together, and so do those that met a common third.
std::map<std::string, int> groupsOf(const Evenings& e) {
    std::map<std::string, int> group;
    for (const FocusedOnce& r : e.runs)
        group.emplace(r.filter, static_cast<int>(group.size()));
    for (size_t pass = 0; pass < group.size(); ++pass)
        for (size_t i = 0; i < e.runs.size(); ++i)
            for (size_t j = 0; j < i; ++j)
                if (e.evening[i] == e.evening[j]) {
                    int& a = group[e.runs[i].filter];
                    int& b = group[e.runs[j].filter];
                    a = b = std::min(a, b);
                }
    return group;
}
} // namespace

FilterOffsets filterOffsets(const std::vector<FocusedOnce>& runs, const FocuserSpec& focuser) {
    constexpr double usual_um_c = 30.0;
    constexpr double unknownStep_um = 2.0;
    return filterOffsets(runs, usual_um_c / (focuser.step_um > 0.0 ? focuser.step_um : unknownStep_um));
}

FilterOffsets filterOffsets(const std::vector<FocusedOnce>& all, double heatPrior_steps_c) {
    FilterOffsets o;
    const Evenings e = eveningsOf(all);
    if (e.runs.empty())
        return o;
    std::map<std::string, int> times;
    for (const FocusedOnce& r : e.runs)
        ++times[r.filter];
    o.reference = std::max_element(times.begin(), times.end(), [](const auto& a, const auto& b) {
                      return a.second < b.second;
                  })->first;
    o.group = groupsOf(e);
    // Columns: evenings, the slope, filters but for the first of each group.
    std::map<std::string, int> column;
    std::set<int> begun;
    int next = e.count + 1;
    const auto place = [&](const std::string& filter) {
        if (begun.insert(o.group.at(filter)).second)
            column[filter] = -1; // its group is counted from it
        else if (!column.contains(filter))
            column[filter] = next++;
    };
    place(o.reference);
    for (const auto& [filter, runs] : times)
        if (filter != o.reference)
            place(filter);
    const auto n = static_cast<Eigen::Index>(e.runs.size());
    // Temperatures count from those of their evening, so that a run without one moves nothing.
    std::vector<double> sum(static_cast<size_t>(e.count), 0.0);
    std::vector<int> known(static_cast<size_t>(e.count), 0);
    for (size_t i = 0; i < e.runs.size(); ++i)
        if (e.runs[i].temperature_c) {
            sum[static_cast<size_t>(e.evening[i])] += *e.runs[i].temperature_c;
            ++known[static_cast<size_t>(e.evening[i])];
        }
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(n + 1, next);
    Eigen::VectorXd y = Eigen::VectorXd::Zero(n + 1);
    const double zero = e.runs.front().steps.value; // keeps the numbers small
    for (Eigen::Index i = 0; i < n; ++i) {
        const FocusedOnce& r = e.runs[static_cast<size_t>(i)];
        const auto evening = static_cast<size_t>(e.evening[static_cast<size_t>(i)]);
        const double w = 1.0 / std::max(r.steps.sigma, least_steps);
        a(i, static_cast<Eigen::Index>(evening)) = w;
        if (r.temperature_c)
            a(i, e.count) = w * (*r.temperature_c - sum[evening] / known[evening]);
        if (column.at(r.filter) >= 0)
            a(i, column.at(r.filter)) = w;
        y(i) = w * (r.steps.value - zero);
    }
    a(n, e.count) = 1.0 / std::max(heatPrior_steps_c, 1e-6);
    const Eigen::MatrixXd normal = a.transpose() * a;
    const Eigen::MatrixXd spread = normal.ldlt().solve(Eigen::MatrixXd::Identity(next, next));
    const Eigen::VectorXd x = spread * (a.transpose() * y);
    const double chi2 = (a * x - y).squaredNorm();
    const double freedom = std::max(0.0, static_cast<double>(n + 1 - next));
    // As for the slope with the temperature: few runs may agree by chance.
    const double grow = std::max(1.0, (2.0 + chi2) / (2.0 + freedom));
    for (const auto& [filter, c] : column) {
        o.steps[filter] = c < 0 ? Measured{} : Measured{x(c), std::sqrt(grow * spread(c, c))};
        for (const auto& [other, d] : column)
            if (c >= 0 && d >= 0)
                o.covariance[{filter, other}] = grow * spread(c, d);
    }
    return o;
}

std::optional<Measured> FilterOffsets::between(const std::string& from, const std::string& to) const {
    const auto a = steps.find(from);
    const auto b = steps.find(to);
    if (from == to)
        return Measured{};
    if (a == steps.end() || b == steps.end() || group.at(from) != group.at(to))
        return std::nullopt;
    const auto shared = covariance.find({from, to});
    const double variance = a->second.sigma * a->second.sigma + b->second.sigma * b->second.sigma -
                            2.0 * (shared == covariance.end() ? 0.0 : shared->second);
    return Measured{b->second.value - a->second.value, std::sqrt(std::max(0.0, variance))};
}

std::vector<FocusedOnce> throughReference(const std::vector<FocusedOnce>& runs,
                                          const FilterOffsets& offsets) {
    std::vector<FocusedOnce> brought;
    for (FocusedOnce r : runs) {
        if (!r.filter.empty()) {
            const auto back = offsets.between(r.filter, offsets.reference);
            if (!back)
                continue;
            r.steps = {r.steps.value + back->value, std::hypot(r.steps.sigma, back->sigma)};
            r.filter = offsets.reference;
        }
        brought.push_back(std::move(r));
    }
    return brought;
}

} // namespace nordstjerna
