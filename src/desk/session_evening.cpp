// What of the session survives its end: the evening, the rigs, the wishes of each station.
#include "desk/session.h"

#include "charts/text.h"

namespace nordstjerna {

namespace {
std::filesystem::path eveningPath(const std::filesystem::path& folder) {
    return folder / "evening.json";
}
} // namespace

void Session::restoreEvening() {
    std::error_code error;
    if (!std::filesystem::exists(eveningPath(dataFolder_), error))
        return;
    auto evening = readEvening(eveningPath(dataFolder_));
    if (!evening) {
        problem_ = evening.error();
        return;
    }
    evening_ = std::move(*evening);
    if (evening_.rig)
        rig_ = *evening_.rig;
    settings_.setFromRig(rig_.guiding.exposure_s, rig_.guiding.pulseLimit_ms);
    for (const Evening::Setting& s : evening_.settings)
        if (const auto key = settingWithId(s.id))
            settings_.restore(*key, s.value, s.origin, s.reason);
    if (evening_.target) {
        targetName_ = evening_.targetName;
        target_ = vectorFrom(*evening_.target);
    }
}

// Written beside the window, the newest state only.
void Session::keepEvening() {
    if (restoring_)
        return;
    evening_.rig = rig_;
    evening_.targetName = targetName_;
    evening_.target = equatorialFrom(target_);
    evening_.settings.clear();
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        if (settings_.origin(key) != "default" && settings_.origin(key) != "rig")
            evening_.settings.push_back(
                {settingId(key), settings_.value(key), settings_.origin(key), settings_.reason(key)});
    }
    queue_->post(
        [path = eveningPath(dataFolder_), evening = evening_] { return writeEvening(path, evening); },
        tellFailure(), "evening");
    keepRig();
}

void Session::keepRig() {
    queue_->post([library = library(), rig = rig_] { return library.keep(rig); }, tellFailure(),
                 "rig " + rig_.id);
}

// Of a write beside the window.
std::function<void(const Expected<void>&)> Session::tellFailure() {
    return [this](const Expected<void>& done) {
        if (!done)
            QMetaObject::invokeMethod(
                this, [this, p = done.error()] { reportProblem(p); }, Qt::QueuedConnection);
    };
}

void Session::keepView(const std::string& station, const std::string& theme, bool findings,
                       const std::string& windowPlace) {
    if (station == evening_.station && theme == evening_.theme && findings == evening_.findings &&
        windowPlace == evening_.windowPlace)
        return;
    evening_.station = station;
    evening_.theme = theme;
    evening_.findings = findings;
    evening_.windowPlace = windowPlace;
    keepEvening();
}

void Session::keepSeriesPlan(const std::map<std::string, double>& plan, const std::filesystem::path& folder) {
    if (plan == evening_.seriesPlan && folder == imageFolder())
        return;
    evening_.seriesPlan = plan;
    if (folder != imageFolder())
        evening_.frameFolder = folder.string();
    keepEvening();
}

void Session::keepTargets(std::vector<NotedTarget> targets) {
    evening_.targets = std::move(targets);
    keepEvening();
}

void Session::keepCentring(const std::map<std::string, double>& fields) {
    if (fields == evening_.centring)
        return;
    evening_.centring = fields;
    keepEvening();
}

std::vector<RigLibrary::Listed> Session::rigs() {
    auto list = library().list();
    const auto own =
        std::find_if(list.begin(), list.end(), [this](const auto& r) { return r.id == rig_.id; });
    if (own == list.end())
        list.push_back({rig_.id, rig_.name});
    else
        own->name = rig_.name;
    return list;
}

Expected<void> Session::chooseRig(const std::string& id) {
    if (id == rig_.id)
        return {};
    if (auto done = rigsOnDisk(); !done)
        return done;
    auto rig = library().read(id);
    if (!rig)
        return tl::unexpected(rig.error());
    setRig(*rig);
    return {};
}

// What was edited last may still be on its way there.
Expected<void> Session::rigsOnDisk() {
    if (!queue_->flush(3.0))
        return nordstjerna::problem("The rig cannot be changed now.", "The one in use is not on disk yet.",
                                    "Check the data folder and the free space.");
    return {};
}

void Session::duplicateRig() {
    Rig copy = rig_;
    copy.id = newRigId();
    copy.name += tr(" (copy)").toStdString();
    setRig(copy);
}

Expected<void> Session::removeRig(const std::string& id) {
    if (id == rig_.id)
        return nordstjerna::problem("The rig in use cannot be removed.", "", "Choose another one first.");
    // Or it would come back.
    if (auto done = rigsOnDisk(); !done)
        return done;
    return library().remove(id);
}

} // namespace nordstjerna
