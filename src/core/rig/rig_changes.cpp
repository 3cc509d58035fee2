#include "core/rig/rig_changes.h"

#include "core/base/format.h"
#include "core/rig/rig_fields.h"

namespace nordstjerna {

namespace {

// The fields that matter, in words, in their order.
struct Told {
    Text what;         // "imaging camera: pixel size"
    std::string value; // "3.76 µm", empty: not known
    bool isFlag = false;
};

class Telling : public PartVisitor {
public:
    std::vector<Told> told;

    bool enter(const PartSpec& part, bool there) override {
        return !part.mayLack && PartVisitor::enter(part, there);
    }
    void number(const FieldSpec& field, double& v) override { tell(field, v); }
    void whole(const FieldSpec& field, int& v) override { tell(field, v); }
    void flag(const FieldSpec& field, bool& v) override {
        if (field.compared >= 0)
            told.push_back({nameOf(field), v ? "there" : "", true});
    }

private:
    Text nameOf(const FieldSpec& field) const {
        const Text name = Text::say(field.name);
        return parts().size() < 2 ? name : Text::say("%1: %2").arg(Text::say(parts().back().name)).arg(name);
    }
    void tell(const FieldSpec& field, double v) {
        if (field.compared < 0)
            return;
        const bool unknown = field.zeroIsUnknown && v == 0.0;
        told.push_back(
            {nameOf(field), unknown ? "" : formatNumber(v, field.compared) + formatUnit(field.unit)});
    }
};

std::vector<Told> tellAll(Rig rig) {
    Telling telling;
    describe(rig, telling);
    return telling.told;
}

Text changeOf(const Told& then, const Told& now) {
    if (then.isFlag)
        return (now.value.empty() ? Text::say("%1: there, now none") : Text::say("%1: none, now there"))
            .arg(then.what);
    if (then.value.empty() || now.value.empty())
        return (now.value.empty() ? Text::say("%1 known, now not") : Text::say("%1 not known, now it is"))
            .arg(then.what);
    return Text::say("%1 %2, now %3").arg(then.what).arg(then.value).arg(now.value);
}

} // namespace

std::vector<Text> rigChanges(const Rig& then, const Rig& now) {
    // Two rigs have the same fields, unless one of them guides through the imaging telescope.
    const std::vector<Told> before = tellAll(then);
    const std::vector<Told> after = tellAll(now);
    std::vector<Text> list;
    for (const Told& a : before)
        for (const Told& b : after)
            if (a.what == b.what && a.value != b.value)
                list.push_back(changeOf(a, b));
    return list;
}

} // namespace nordstjerna
