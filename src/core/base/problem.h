// Failure as a value: what happened, why (what it means), and what to do about it.
#pragma once

#include <string>
#include <tl/expected.hpp>

namespace nordstjerna {

struct Problem {
    std::string what;
    std::string why;
    std::string remedy;

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
    return tl::unexpected<Problem>(Problem{std::move(what), std::move(why), std::move(remedy)});
}

} // namespace nordstjerna
