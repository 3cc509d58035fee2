#include "desk/evening/evening_store.h"

#include "edge/store/file_names.h"

namespace nordstjerna {

EveningStore::EveningStore(std::filesystem::path dataFolder, WriteQueue& writes, ProblemList& problems)
    : folder_(std::move(dataFolder)), writes_(writes), problems_(problems),
      owner_(std::make_shared<FolderOwner>(folder_)) {
    restore();
}

void EveningStore::restore() {
    std::error_code error;
    if (!std::filesystem::exists(eveningPath(folder_), error))
        return;
    auto evening = readEvening(eveningPath(folder_));
    if (evening) {
        evening_ = std::move(*evening);
        return;
    }
    // Never written over: it may be of a newer program, or worth mending.
    Problem p = evening.error();
    if (owns()) {
        const auto aside = keepAside(eveningPath(folder_));
        p.remedy = aside.empty()
                       ? Text::say("It could not be moved away; nothing of this evening is kept.")
                       : Text::say("It is kept as %1; a new one is begun.").arg(aside.filename().string());
        lost_ = aside.empty();
    }
    problems_.report(ProblemCause::evening, p);
}

void EveningStore::keep() {
    if (!lost_)
        write(ProblemCause::evening, "evening",
              [path = eveningPath(folder_), evening = evening_] { return writeEvening(path, evening); });
}

void EveningStore::write(ProblemCause cause, const std::string& name, std::function<Expected<void>()> work) {
    if (!owns())
        return;
    writes_.post(
        [owner = owner_, work = std::move(work)] { return owner->owns() ? work() : Expected<void>(); },
        [this, cause](const Expected<void>& done) {
            QMetaObject::invokeMethod(
                this,
                [this, cause, done] {
                    if (done)
                        problems_.solved(cause);
                    else
                        problems_.report(cause, done.error());
                },
                Qt::QueuedConnection);
        },
        name);
}

bool EveningStore::owns() {
    if (owner_->owns()) {
        problems_.solved(ProblemCause::shared);
        return true;
    }
    const int other = owner_->otherProcess();
    problems_.report(
        ProblemCause::shared,
        {Text::say("What is changed here is not kept."),
         (other ? Text::say("Another Nordstjerna (process %1) keeps rigs, targets and settings of this "
                            "evening; both would write over each other.")
                      .arg(other)
                : Text::say("Another Nordstjerna keeps rigs, targets and settings of this evening; both "
                            "would write over each other.")),
         Text::say("Go on in the other window, or keep the evening here. From then on nothing more is kept "
                   "from the other window.")},
        ActionId::takeEvening, Text::say("Keep it here"));
    return false;
}

void EveningStore::takeOver() {
    owner_->takeOver();
    keep();
}

void EveningStore::keepView(const std::string& station, const std::string& theme, bool findings,
                            const std::string& windowPlace) {
    if (station == evening_.station && theme == evening_.theme && findings == evening_.findings &&
        windowPlace == evening_.windowPlace)
        return;
    edit([&](Evening& e) {
        e.station = station;
        e.theme = theme;
        e.findings = findings;
        e.windowPlace = windowPlace;
    });
}

namespace {
Evening::Fields fieldsOf(const std::map<std::string, Evening::Fields>& all, const std::string& id) {
    const auto kept = all.find(id);
    return kept == all.end() ? Evening::Fields() : kept->second;
}
} // namespace

Evening::Fields EveningStore::seriesPlan(const std::string& opticsId) const {
    return fieldsOf(evening_.seriesPlan, opticsId);
}

Evening::Fields EveningStore::centring(const std::string& opticsId) const {
    return fieldsOf(evening_.centring, opticsId);
}

Evening::Fields EveningStore::sightings(const std::string& mountId) const {
    return fieldsOf(evening_.sightings, mountId);
}

void EveningStore::keepSightings(const std::string& mountId, const Evening::Fields& fields) {
    if (fields != sightings(mountId))
        edit([&](Evening& e) { e.sightings[mountId] = fields; });
}

void EveningStore::keepSeriesPlan(const std::string& opticsId, const Evening::Fields& plan,
                                  const std::filesystem::path& folder) {
    if (plan == seriesPlan(opticsId) && folder == imageFolder())
        return;
    edit([&](Evening& e) {
        e.seriesPlan[opticsId] = plan;
        if (folder != imageFolder())
            e.frameFolder = folder.string();
    });
}

void EveningStore::keepCentring(const std::string& opticsId, const Evening::Fields& fields) {
    if (fields != centring(opticsId))
        edit([&](Evening& e) { e.centring[opticsId] = fields; });
}

std::filesystem::path EveningStore::imageFolder() const {
    return evening_.frameFolder.empty() ? folder_ / "frames" : std::filesystem::path(evening_.frameFolder);
}

} // namespace nordstjerna
