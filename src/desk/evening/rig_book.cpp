#include "desk/evening/rig_book.h"

#include <algorithm>

namespace nordstjerna {

namespace {
bool sameParts(const Rig& a, const Rig& b) {
    return std::all_of(rigParts.begin(), rigParts.end(),
                       [&](RigPart part) { return partId(a, part) == partId(b, part); });
}

void listOwn(std::vector<Listed>& list, const std::string& id, const std::string& name) {
    const auto own = std::find_if(list.begin(), list.end(), [&](const Listed& l) { return l.id == id; });
    if (own == list.end())
        list.push_back({id, name});
    else
        own->name = name;
}
} // namespace

RigBook::RigBook(const Rig& first, EveningStore& evening) : evening_(evening) {
    use(evening.evening().rig.value_or(first));
    kept_.push_back(rig_);
    evening_.fill([this](Evening& e) { e.rig = rig_; });
    evening_.write(ProblemCause::rig, "parts of rigs", [library = library(), drawers = drawers()] {
        for (const Rig& rig : library.all())
            if (auto done = drawers.keepMissing(rig); !done)
                return done;
        return Expected<void>();
    });
}

void RigBook::use(const Rig& rig) {
    rig_ = rig;
    takeApart(rig_);
    nameWhole(rig_);
    auto zone = civilTimeOf(rig_.timeZone);
    zone_ = zone ? std::move(*zone) : civilTimeOf({}).value_or(CivilTime());
}

void RigBook::keep() {
    std::erase_if(kept_, [this](const Rig& r) { return r.id == rig_.id; });
    kept_.push_back(rig_);
    evening_.write(ProblemCause::rig, "rig " + rig_.id,
                   [library = library(), drawers = drawers(), rig = rig_] {
                       auto done = library.keep(rig);
                       return done ? drawers.keep(rig) : done;
                   });
}

void RigBook::set(const Rig& rig) {
    const bool other = !sameParts(rig, rig_);
    if (other) // what is left must be there to come back to
        keep();
    use(rig);
    evening_.edit([&](Evening& e) { e.rig = rig_; });
    keep();
    if (other)
        Q_EMIT replaced();
    Q_EMIT changed();
}

const Rig* RigBook::lastKept(RigPart part, const std::string& id) const {
    const auto at =
        std::find_if(kept_.rbegin(), kept_.rend(), [&](const Rig& r) { return partId(r, part) == id; });
    return at == kept_.rend() ? nullptr : &*at;
}

std::vector<Listed> RigBook::list() const {
    auto list = library().list();
    for (const Rig& rig : kept_)
        listOwn(list, rig.id, rig.name);
    listOwn(list, rig_.id, rig_.name);
    return list;
}

std::vector<Listed> RigBook::list(RigPart part) const {
    auto list = drawers().list(part);
    for (const Rig& rig : kept_)
        listOwn(list, partId(rig, part), partName(rig, part));
    listOwn(list, partId(rig_, part), partName(rig_, part));
    return list;
}

Expected<void> RigBook::choose(const std::string& id) {
    if (id == rig_.id)
        return {};
    const auto kept = std::find_if(kept_.begin(), kept_.end(), [&](const Rig& r) { return r.id == id; });
    auto rig = kept != kept_.end() ? Expected<Rig>(*kept) : library().read(id);
    if (!rig)
        return tl::unexpected(rig.error());
    drawers().refresh(*rig);
    for (const RigPart part : rigParts)
        if (const Rig* newest = lastKept(part, partId(*rig, part)))
            takePart(*rig, *newest, part);
    set(*rig);
    return {};
}

Expected<void> RigBook::choose(RigPart part, const std::string& id) {
    if (id == partId(rig_, part))
        return {};
    Rig rig = rig_;
    if (const Rig* newest = lastKept(part, id))
        takePart(rig, *newest, part);
    else if (auto done = drawers().take(part, id, rig); !done)
        return done;
    if (part != RigPart::site)
        rig = togetherAgain(rig);
    set(rig);
    return {};
}

Rig RigBook::togetherAgain(const Rig& rig) const {
    Rig again = rig;
    again.guiding = GuideDefaults();
    const auto kept = std::find_if(kept_.begin(), kept_.end(), [&](const Rig& r) { return r.id == rig.id; });
    if (kept != kept_.end())
        again.guiding = kept->guiding;
    else if (const auto before = library().read(rig.id))
        again.guiding = before->guiding;
    return again;
}

// What was edited last may still be on its way there.
Expected<void> RigBook::allOnDisk() {
    if (!evening_.flush(3.0))
        return problem(Text::say("The rig cannot be changed now."),
                       Text::say("The one in use is not on disk yet."),
                       Text::say("Check the data folder and the free space."));
    return {};
}

void RigBook::duplicate(RigPart part) {
    Rig copy = rig_;
    setPartIdentity(copy, part, newRigId(), partName(rig_, part) + tr(" (copy)").toStdString());
    set(copy);
}

Expected<void> RigBook::remove(const std::string& id) {
    if (id == rig_.id)
        return problem(Text::say("The rig in use cannot be removed."), "",
                       Text::say("Choose another one first."));
    // Or it would come back.
    if (auto done = allOnDisk(); !done)
        return done;
    std::erase_if(kept_, [&id](const Rig& r) { return r.id == id; });
    return library().remove(id);
}

Expected<void> RigBook::remove(RigPart part, const std::string& id) {
    if (id == partId(rig_, part))
        return problem(Text::say("The %1 in use cannot be removed.").arg(partNoun(part)), "",
                       Text::say("Choose another one first."));
    if (auto done = allOnDisk(); !done)
        return done;
    for (const Rig& rig : library().all())
        if (partId(rig, part) == id)
            if (auto done = library().remove(rig.id); !done)
                return done;
    std::erase_if(kept_, [&](const Rig& r) { return partId(r, part) == id; });
    return drawers().remove(part, id);
}

} // namespace nordstjerna
