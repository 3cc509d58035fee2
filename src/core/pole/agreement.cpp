#include "core/pole/agreement.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
// Of two methods, in a component that both show.
struct Difference {
    const MethodResult* one;
    const MethodResult* two;
    const char* component;
    double arcmin;
    double sigma; // the same in units of its uncertainty

    bool concerns(const MethodResult& m) const { return one == &m || two == &m; }
    bool apart() const { return sigma >= 3.0; }
};

std::vector<Difference> differencesOf(const std::vector<MethodResult>& methods) {
    std::vector<Difference> all;
    const auto add = [&](const MethodResult& one, const MethodResult& two, const char* component,
                         auto MethodResult::*part) {
        if (!(one.*part) || !(two.*part))
            return;
        const double arcmin = std::abs((one.*part)->value - (two.*part)->value);
        const double sigma = arcmin / std::max(std::hypot((one.*part)->sigma, (two.*part)->sigma), 1e-9);
        all.push_back({&one, &two, component, arcmin, sigma});
    };
    for (size_t i = 0; i < methods.size(); ++i)
        for (size_t j = i + 1; j < methods.size(); ++j) {
            add(methods[i], methods[j], "east", &MethodResult::east_arcmin);
            add(methods[i], methods[j], "high", &MethodResult::high_arcmin);
        }
    return all;
}

// Of three methods the one that differs from the others, while they agree. Null where none or more than one
// is.
const MethodResult* oddOneOut(const std::vector<MethodResult>& methods, const std::vector<Difference>& all) {
    if (methods.size() < 3)
        return nullptr;
    const MethodResult* odd = nullptr;
    for (const MethodResult& m : methods) {
        const bool differs = std::any_of(all.begin(), all.end(),
                                         [&](const Difference& d) { return d.concerns(m) && d.apart(); });
        const bool othersAgree = std::none_of(
            all.begin(), all.end(), [&](const Difference& d) { return !d.concerns(m) && d.apart(); });
        if (!differs || !othersAgree)
            continue;
        if (odd)
            return nullptr;
        odd = &m;
    }
    return odd;
}
} // namespace

Agreement compareMethods(const std::vector<MethodResult>& methods) {
    Agreement a;
    const MethodResult* best = nullptr;
    double bestSigma = 1e300;
    for (const MethodResult& m : methods) {
        if (!m.east_arcmin || !m.high_arcmin)
            continue;
        const double sigma = std::hypot(m.east_arcmin->sigma, m.high_arcmin->sigma);
        if (sigma < bestSigma)
            bestSigma = sigma, best = &m;
    }
    if (best)
        a.trusted = best->name;
    const std::vector<Difference> all = differencesOf(methods);
    a.known = !all.empty();
    std::string worst;
    for (const Difference& d : all)
        if (d.sigma >= a.worst_sigma) {
            a.worst_sigma = d.sigma;
            worst = d.one->name + " and " + d.two->name + " differ by " + formatNumber(d.arcmin, 2) +
                    "′ in the " + d.component + " component, " + formatNumber(d.sigma, 1) +
                    " times its uncertainty";
        }
    a.agree = a.worst_sigma < 3.0;
    if (methods.empty())
        a.verdict = "Nothing measured yet.";
    else if (!a.known)
        a.verdict = "One method only so far; a second one would show whether it can be relied on.";
    else if (a.agree)
        a.verdict = "The methods agree: " + worst + "." +
                    (best ? " Use the " + a.trusted + ", the most precise." : std::string());
    else {
        const MethodResult* odd = oddOneOut(methods, all);
        a.verdict = "The methods do not agree: " + worst +
                    ". Something moved between them, or one was disturbed. " +
                    (odd ? "The others agree with each other, so the " + odd->name +
                               " is the odd one out: repeat that."
                         : "It is not clear which is wrong; measure again and see which is confirmed.");
    }
    return a;
}

} // namespace nordstjerna
