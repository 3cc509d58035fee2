// What of the session survives its end: the evening, the rigs, the wishes of each station.
#include "desk/session.h"

#include "charts/text.h"
#include "edge/store/file_names.h"

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
        // Never written over: it may be of a newer program, or worth mending.
        Problem p = evening.error();
        if (ownsEvening()) {
            const auto aside = keepAside(eveningPath(dataFolder_));
            p.remedy = aside.empty() ? "It could not be moved away; nothing of this evening is kept."
                                     : "It is kept as " + aside.filename().string() + "; a new one is begun.";
            eveningLost_ = aside.empty();
        }
        problems_.report(ProblemCause::evening, p);
        return;
    }
    evening_ = std::move(*evening);
    if (evening_.rig)
        rig_ = *evening_.rig;
    rigIsUsed();
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
    if (restoring_ || eveningLost_ || !ownsEvening())
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
        [owner = owner_, path = eveningPath(dataFolder_), evening = evening_] {
            return owner->owns() ? writeEvening(path, evening) : Expected<void>();
        },
        tellFailure(ProblemCause::evening), "evening");
    keepRig();
}

void Session::keepRig() {
    if (!ownsEvening())
        return;
    queue_->post([owner = owner_, library = library(),
                  rig = rig_] { return owner->owns() ? library.keep(rig) : Expected<void>(); },
                 tellFailure(ProblemCause::rig), "rig " + rig_.id);
}

// Of a write beside the window.
std::function<void(const Expected<void>&)> Session::tellFailure(ProblemCause cause) {
    return [this, cause](const Expected<void>& done) {
        QMetaObject::invokeMethod(
            this,
            [this, cause, done] {
                if (done)
                    problems_.solved(cause);
                else
                    problems_.report(cause, done.error());
            },
            Qt::QueuedConnection);
    };
}

bool Session::ownsEvening() {
    if (owner_->owns()) {
        problems_.solved(ProblemCause::shared);
        return true;
    }
    const int other = owner_->otherProcess();
    problems_.report(
        ProblemCause::shared,
        {"What is changed here is not kept.",
         "Another Nordstjerna" + (other ? " (process " + std::to_string(other) + ")" : std::string()) +
             " keeps rigs, targets and settings of this evening; both would write over each other.",
         "Work in the other window, or take over here. After that, nothing more is kept from the other "
         "window."},
        "evening.take", "Take over");
    return false;
}

void Session::takeEvening() {
    owner_->takeOver();
    if (ownsEvening())
        keepEvening();
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
