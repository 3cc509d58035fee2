#include "core/pole/agreement.h"

#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

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
    std::string worst;
    for (size_t i = 0; i < methods.size(); ++i)
        for (size_t j = i + 1; j < methods.size(); ++j)
            for (bool east : {true, false}) {
                const auto& one = east ? methods[i].east_arcmin : methods[i].high_arcmin;
                const auto& two = east ? methods[j].east_arcmin : methods[j].high_arcmin;
                if (!one || !two)
                    continue;
                a.known = true;
                const double difference = std::abs(one->value - two->value);
                const double sigma = difference / std::max(std::hypot(one->sigma, two->sigma), 1e-9);
                if (sigma >= a.worst_sigma) {
                    a.worst_sigma = sigma;
                    worst = methods[i].name + " and " + methods[j].name + " differ by " +
                            formatNumber(difference, 2) + "′ in the " + (east ? "east" : "high") +
                            " component, " + formatNumber(sigma, 1) + " times its uncertainty";
                }
            }
    a.agree = a.worst_sigma < 3.0;
    if (methods.empty())
        a.verdict = "Nothing measured yet.";
    else if (!a.known)
        a.verdict = "One method only so far; a second one would show whether it can be relied on.";
    else if (a.agree)
        a.verdict = "The methods agree: " + worst + "." +
                    (best ? " Use the " + a.trusted + ", the most precise." : std::string());
    else
        a.verdict =
            "The methods do not agree: " + worst +
            ". Something moved between them, or one was disturbed. Take fresh sightings; if those "
            "repeat, trust them over " +
            (best && best->name == methods.front().name ? methods.back().name : methods.front().name) + ".";
    return a;
}

} // namespace nordstjerna
