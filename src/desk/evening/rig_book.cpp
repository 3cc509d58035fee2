#include "desk/evening/rig_book.h"

#include <algorithm>

namespace nordstjerna {

RigBook::RigBook(const Rig& first, EveningStore& evening) : evening_(evening) {
    use(evening.evening().rig.value_or(first));
    evening_.fill([this](Evening& e) { e.rig = rig_; });
}

void RigBook::use(const Rig& rig) {
    rig_ = rig;
    auto zone = civilTimeOf(rig_.timeZone);
    zone_ = zone ? std::move(*zone) : civilTimeOf({}).value_or(CivilTime());
}

void RigBook::keep() {
    evening_.write(ProblemCause::rig, "rig " + rig_.id,
                   [library = library(), rig = rig_] { return library.keep(rig); });
}

void RigBook::set(const Rig& rig) {
    const bool other = rig.id != rig_.id;
    if (other) // what is left must be there to come back to
        keep();
    use(rig);
    evening_.edit([&](Evening& e) { e.rig = rig; });
    keep();
    if (other)
        Q_EMIT replaced();
    Q_EMIT changed();
}

std::vector<RigLibrary::Listed> RigBook::list() const {
    auto list = library().list();
    const auto own =
        std::find_if(list.begin(), list.end(), [this](const auto& r) { return r.id == rig_.id; });
    if (own == list.end())
        list.push_back({rig_.id, rig_.name});
    else
        own->name = rig_.name;
    return list;
}

Expected<void> RigBook::choose(const std::string& id) {
    if (id == rig_.id)
        return {};
    if (auto done = allOnDisk(); !done)
        return done;
    auto rig = library().read(id);
    if (!rig)
        return tl::unexpected(rig.error());
    set(*rig);
    return {};
}

// What was edited last may still be on its way there.
Expected<void> RigBook::allOnDisk() {
    if (!evening_.flush(3.0))
        return problem("The rig cannot be changed now.", "The one in use is not on disk yet.",
                       "Check the data folder and the free space.");
    return {};
}

void RigBook::duplicate() {
    Rig copy = rig_;
    copy.id = newRigId();
    copy.name += tr(" (copy)").toStdString();
    set(copy);
}

Expected<void> RigBook::remove(const std::string& id) {
    if (id == rig_.id)
        return problem("The rig in use cannot be removed.", "", "Choose another one first.");
    // Or it would come back.
    if (auto done = allOnDisk(); !done)
        return done;
    return library().remove(id);
}

} // namespace nordstjerna
