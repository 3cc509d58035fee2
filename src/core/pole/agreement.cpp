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
            add(methods[i], methods[j], Text::mark("east"), &MethodResult::east_arcmin);
            add(methods[i], methods[j], Text::mark("high"), &MethodResult::high_arcmin);
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
    Text worst;
    for (const Difference& d : all)
        if (d.sigma >= a.worst_sigma) {
            a.worst_sigma = d.sigma;
            worst = Text::say("%1 and %2 differ by %3′ in the %4 component, %5 times its uncertainty")
                        .arg(d.one->name)
                        .arg(d.two->name)
                        .arg(formatNumber(d.arcmin, 2))
                        .arg(Text::say(d.component))
                        .arg(formatNumber(d.sigma, 1));
        }
    a.agree = a.worst_sigma < 3.0;
    if (methods.empty())
        a.verdict = Text::say("Nothing measured yet.");
    else if (!a.known)
        a.verdict = Text::say("One method only so far; a second one would show whether it can be relied on.");
    else if (a.agree)
        a.verdict = Text::say("The methods agree: %1.")
                        .arg(worst)
                        .then(best ? Text::say("Use the %1, the most precise.").arg(a.trusted) : Text());
    else {
        const MethodResult* odd = oddOneOut(methods, all);
        a.verdict =
            Text::say("The methods do not agree: %1. Something moved between them, or one was disturbed.")
                .arg(worst)
                .then(
                    odd ? Text::say(
                              "The others agree with each other, so the %1 is the odd one out: repeat that.")
                              .arg(odd->name)
                        : Text::say(
                              "It is not clear which is wrong; measure again and see which is confirmed."));
    }
    return a;
}

} // namespace nordstjerna
