// Failure as a value: what happened, why (what it means), and what to do about it.
#pragma once

#include <string>
#include <tl/expected.hpp>

#include "core/base/text.h"

namespace nordstjerna {

struct Problem {
    Text what;
    Text why;
    Text remedy;
    bool transient = false;     // of a device: it may well work the next time
    bool userRequested = false; // it ended because somebody wanted it to: nothing to complain about
    bool lasting = false;       // trying the same again cannot help
    bool away = false;          // of a device: it did not answer for as long as was waited for it

    Text briefly() const { return what.then(why); }
    // The three parts as one readable paragraph.
    Text said() const { return briefly().then(remedy); }
    std::string text() const { return said().english(); }
};

template <typename T>
using Expected = tl::expected<T, Problem>;

inline tl::unexpected<Problem> problem(Text what, Text why = {}, Text remedy = {}) {
    return tl::unexpected<Problem>(Problem{std::move(what), std::move(why), std::move(remedy), false});
}

// A failure of a device that may be over the next time it is asked.
inline tl::unexpected<Problem> transientProblem(Text what, Text why = {}, Text remedy = {}) {
    return tl::unexpected<Problem>(Problem{std::move(what), std::move(why), std::move(remedy), true});
}

} // namespace nordstjerna
