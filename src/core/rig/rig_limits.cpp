// What is physically possible, by the limits of each field.
#include <algorithm>

#include "core/base/format.h"
#include "core/rig/rig_parts.h"

namespace nordstjerna {

namespace {

// Without noughts at its end.
std::string briefly(double v) {
    std::string text = formatNumber(v, 3);
    if (text.find('.') != std::string::npos) {
        text.erase(text.find_last_not_of('0') + 1);
        if (text.back() == '.')
            text.pop_back();
    }
    return text;
}

class LimitCheck : public PartVisitor {
public:
    Expected<void> outcome() const {
        return problem ? Expected<void>(tl::unexpected(*problem)) : Expected<void>();
    }
    bool enter(const PartSpec& part, bool there) override {
        return !part.mayLack && PartVisitor::enter(part, there);
    }
    void number(const FieldSpec& field, double& v) override { hold(field, v, field.low, field.high); }
    void whole(const FieldSpec& field, int& v) override { hold(field, v, field.low, field.high); }
    void numbers(const FieldSpec& field, std::vector<double>& all) override {
        for (double v : all)
            hold(field, v, field.low, field.high);
    }
    void names(const FieldSpec&, std::vector<std::string>& all) override {
        for (size_t i = 0; i < all.size() && !problem; ++i)
            if (!all[i].empty() && std::find(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(i),
                                             all[i]) != all.begin() + static_cast<std::ptrdiff_t>(i))
                problem = Problem{Text::say("Two filters are called %1.").arg(all[i]),
                                  Text::say("A frame would not tell through which of them it was taken."),
                                  Text::say("Give each its own name in the rig.")};
    }
    void horizon(const FieldSpec& field, HorizonProfile& profile) override {
        for (const AltAz& p : profile.points()) {
            hold(field, p.altitude.deg(), field.low, field.high);
            hold(field, p.azimuth.deg(), -1e6, 1e6);
        }
    }

private:
    std::optional<Problem> problem;
    void hold(const FieldSpec& field, double v, double low, double high) {
        if (problem || (v >= low && v <= high))
            return;
        const std::string unit = formatUnit(field.unit);
        Text name = Text::say(field.name);
        if (!parts().empty())
            name = Text::say("%1 (%2)").arg(name).arg(Text::say(parts().back().name));
        problem = Problem{Text::say("The %1 is %2.").arg(name).arg(briefly(v) + unit),
                          Text::say("It must be from %1 to %2.").arg(briefly(low)).arg(briefly(high) + unit),
                          Text::say("Correct it in the rig.")};
    }
};

} // namespace

Expected<void> validateRig(const Rig& rig) {
    LimitCheck check;
    Rig copy = rig;
    describe(copy, check);
    return check.outcome();
}

Expected<void> validatePart(const Rig& rig, RigPart part) {
    LimitCheck check;
    Rig copy = rig;
    describePart(copy, part, check);
    return check.outcome();
}

} // namespace nordstjerna
