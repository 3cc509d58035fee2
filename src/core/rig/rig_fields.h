// Every field of a rig, named once: files, forms, limits, differences and the documentation are made from
// this.
#pragma once

#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/rig/rig.h"

namespace nordstjerna {

// A number of the rig is shown with its unit and decimals, and is possible from `low` to `high`.
struct FieldSpec {
    const char* key;       // in files
    const char* name;      // in sentences: "pixel size"
    const char* unit = ""; // "µm"
    int decimals = 0;      // of the number shown
    double low = 0.0, high = 0.0;
    const char* label = ""; // of its row in the form; "+": in the row of the field before; empty: not in it
    const char* help = "";  // what it means, where the name does not say it all
    bool needed = false;    // a file must hold it
    int compared = -1;      // decimals from which on a change of it is told beside figures; −1: never
    bool zeroIsUnknown = false;
    const char* lowestMeans = ""; // in words, shown for the lowest value
};

struct PartSpec {
    const char* key;
    const char* name;     // in sentences: "imaging camera"
    bool mayLack = false; // a file need not hold it; then its fields are not looked at
};

// What is done with each field. Those that a visitor does not care about it need not take.
class RigVisitor {
public:
    virtual ~RigVisitor() = default;
    // Fields of a part follow, until leave(); false: not wanted, and there will be no leave(). `there`: the
    // rig has it.
    virtual bool enter(const PartSpec& part, bool there) = 0;
    virtual void leave() = 0;
    virtual void number(const FieldSpec&, double&) {}
    virtual void whole(const FieldSpec&, int&) {}
    virtual void flag(const FieldSpec&, bool&) {}
    virtual void text(const FieldSpec&, std::string&) {}
    virtual void numbers(const FieldSpec&, std::vector<double>&) {}
    virtual void names(const FieldSpec&, std::vector<std::string>&) {}
    virtual void horizon(const FieldSpec&, HorizonProfile&) {}
};

// One that knows the part it is in.
class PartVisitor : public RigVisitor {
public:
    bool enter(const PartSpec& part, bool) override {
        parts_.push_back(part);
        return true;
    }
    void leave() override { parts_.pop_back(); }

protected:
    // "imaging.camera.pixel_um", as in files.
    std::string pathOf(const FieldSpec& field) const;
    // From the outermost on.
    const std::vector<PartSpec>& parts() const { return parts_; }

private:
    std::vector<PartSpec> parts_;
};

// Goes through all fields. A visitor may change them; an angle that it leaves alone stays to the last digit.
void describe(Rig& rig, RigVisitor& visitor);
// Its parts alone (rig_parts.h).
void describeMount(Rig& rig, RigVisitor& visitor);
void describeOptics(Rig& rig, RigVisitor& visitor);
void describeSite(Rig& rig, RigVisitor& visitor);

} // namespace nordstjerna
