// Failure as a value: what happened, why (what it means), and what to do about it.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace nordstjerna {

struct Problem {
    std::string what;
    std::string why;
    std::string remedy;
    bool passing = false; // of a device: it may well work the next time
    bool asked = false;   // it ended because somebody wanted it to: nothing to complain about
    bool lasting = false; // trying the same again cannot help

    // The three parts as one readable paragraph.
    std::string text() const {
        std::string all = what;
        for (const std::string* part : {&why, &remedy})
            if (!part->empty())
                all += (all.empty() ? "" : " ") + *part;
        return all;
    }
};

template <typename T>
using Expected = tl::expected<T, Problem>;

inline tl::unexpected<Problem> problem(std::string what, std::string why = {}, std::string remedy = {}) {
    return tl::unexpected<Problem>(Problem{std::move(what), std::move(why), std::move(remedy), false});
}

// A failure of a device that may be over the next time it is asked.
inline tl::unexpected<Problem> passingProblem(std::string what, std::string why = {},
                                              std::string remedy = {}) {
    return tl::unexpected<Problem>(Problem{std::move(what), std::move(why), std::move(remedy), true});
}

} // namespace nordstjerna
