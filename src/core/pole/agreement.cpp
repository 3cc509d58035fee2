#include "core/pole/agreement.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

namespace {
// Greatest difference of two methods in a component both show, in units of its uncertainty.
double differenceOf(const MethodResult& one, const MethodResult& two) {
    double most = 0.0;
    for (const auto part : {&MethodResult::east_arcmin, &MethodResult::high_arcmin})
        if (one.*part && two.*part)
            most = std::max(most, std::abs((one.*part)->value - (two.*part)->value) /
                                      std::max(std::hypot((one.*part)->sigma, (two.*part)->sigma), 1e-9));
    return most;
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
    else {
        // With three methods the one that differs from the others, while they agree, is the odd one out.
        std::string odd;
        for (const MethodResult& m : methods) {
            bool differs = false;
            bool othersAgree = true;
            for (const MethodResult& one : methods)
                for (const MethodResult& two : methods) {
                    if (&one >= &two)
                        continue;
                    const bool apart = differenceOf(one, two) >= 3.0;
                    (&one == &m || &two == &m ? differs : othersAgree) =
                        &one == &m || &two == &m ? differs || apart : othersAgree && !apart;
                }
            if (differs && othersAgree && methods.size() > 2)
                odd = odd.empty() ? m.name : "?";
        }
        a.verdict =
            "The methods do not agree: " + worst + ". Something moved between them, or one was disturbed. " +
            (odd.empty() || odd == "?"
                 ? "Nothing here says which; take fresh sightings and see which they repeat."
                 : "The others agree with each other, so the " + odd + " is the odd one out: repeat that.");
    }
    return a;
}

} // namespace nordstjerna
