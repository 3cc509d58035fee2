#include "desk/logbook.h"

#include "charts/text.h"
#include "core/base/format.h"

namespace nordstjerna {

namespace fs = std::filesystem;

Logbook::Logbook(fs::path dataFolder, WriteQueue& queue, ProblemList& problems)
    : folder_(std::move(dataFolder)), queue_(queue), mark_(SessionMark::set(folder_)), problems_(problems) {
    static_cast<void>(openToRead());
    queue_.post(
        [folder = folder_]() -> Expected<void> {
            const auto done = recoverEntries(folder);
            return done ? Expected<void>() : tl::unexpected(done.error());
        },
        [this](const Expected<void>& done) { told(done); }, "recover");
}

void Logbook::setNotLogged(const QString& why) {
    if (why == notLogged_)
        return;
    notLogged_ = why;
    Q_EMIT troubleChanged();
}

std::optional<NightLog> Logbook::openToRead() {
    auto log = NightLog::openToRead(nightLogPath(folder_));
    readable_ = log.has_value();
    if (log) {
        setNotLogged({});
        problems_.solved(ProblemCause::log);
        return std::move(*log);
    }
    Problem p = log.error();
    setNotLogged(qs(p.said()));
    p.what += Text::say("Nothing is being logged.");
    problems_.report(ProblemCause::log, p);
    return std::nullopt;
}

std::vector<LoggedCalibration> Logbook::calibrationOf(const std::string& rigId) {
    const auto log = openToRead();
    return log ? log->calibrationOf(rigId).value_or(std::vector<LoggedCalibration>{})
               : std::vector<LoggedCalibration>{};
}

void Logbook::addCalibration(Instant when, const Rig& rig, const Calibration& calibration) {
    queue_.post(
        [path = nightLogPath(folder_), when, rig, calibration]() -> Expected<void> {
            auto log = NightLog::open(path);
            if (!log)
                return tl::unexpected(log.error());
            return log->addCalibration(when, rig, calibration);
        },
        [this](const Expected<void>& done) {
            QMetaObject::invokeMethod(
                this,
                [this, done] {
                    setNotLogged(done ? QString() : qs(done.error().said()));
                    if (done)
                        Q_EMIT calibrationAdded();
                },
                Qt::QueuedConnection);
        });
}

LogEntry Logbook::named(LogEntry entry) const {
    entry.id = newEntryId(entry.kind, entry.started);
    if (mark_)
        entry.session = mark_->name();
    return entry;
}

std::string Logbook::begin(LogEntry begun) {
    const LogEntry entry = named(std::move(begun));
    open_[entry.id] = entry;
    write(entry, {});
    return entry.id;
}

void Logbook::setFile(const std::string& id, const fs::path& file) {
    const auto found = open_.find(id);
    if (found == open_.end() || found->second.file == relative(file))
        return;
    found->second.file = relative(file);
    write(found->second, {});
}

void Logbook::end(const std::string& id, Instant when, const Text& how, Fill fill) {
    const auto found = open_.find(id);
    if (found == open_.end())
        return;
    LogEntry entry = std::move(found->second);
    open_.erase(found);
    entry.ended = when;
    entry.how = how.asClause().english(); // files keep the English
    write(std::move(entry), std::move(fill));
}

std::string Logbook::add(LogEntry whole, Fill fill) {
    LogEntry entry = named(std::move(whole));
    if (!entry.ended)
        entry.ended = entry.started;
    const std::string id = entry.id;
    write(std::move(entry), std::move(fill));
    return id;
}

void Logbook::setNote(const std::string& id, const std::string& note) {
    if (const auto found = open_.find(id); found != open_.end()) {
        found->second.note = note;
        write(found->second, {});
        return;
    }
    queue_.post(
        [folder = folder_, id, note]() -> Expected<void> {
            auto log = NightLog::open(nightLogPath(folder));
            if (!log)
                return tl::unexpected(log.error());
            auto entry = log->entry(id);
            if (!entry)
                return tl::unexpected(entry.error());
            if (!*entry)
                return {};
            log->addRig(**entry); // the record holds it too
            (*entry)->note = note;
            return keepEntry(folder, **entry);
        },
        [this](const Expected<void>& done) { told(done); }, "note " + id);
}

void Logbook::write(LogEntry entry, Fill fill) {
    struct Whole {
        LogEntry entry;
        Fill fill;
    };
    const std::string name = "entry " + entry.id;
    auto whole = std::make_shared<Whole>(Whole{std::move(entry), std::move(fill)});
    queue_.post(
        [folder = folder_, whole] {
            // Once, however often it must be written.
            if (whole->fill)
                std::exchange(whole->fill, {})(whole->entry);
            return keepEntry(folder, whole->entry);
        },
        [this](const Expected<void>& done) { told(done); }, name);
}

void Logbook::told(const Expected<void>& done) {
    QMetaObject::invokeMethod(
        this,
        [this, done] {
            if (!done) {
                setNotLogged(qs(done.error().said()));
                return;
            }
            if (readable_)
                setNotLogged({});
            Q_EMIT changed();
        },
        Qt::QueuedConnection);
}

std::string Logbook::relative(const fs::path& file) const {
    std::error_code error;
    const fs::path inside = fs::relative(file, folder_, error);
    return error || inside.empty() || inside.string().starts_with("..") ? file.string() : inside.string();
}

void Logbook::rebuild(const std::function<Instant(Instant)>& noon) {
    queue_.post(
        [this, folder = folder_, noon]() -> Expected<void> {
            const auto done = rebuildNightLog(folder, noon);
            if (!done)
                return tl::unexpected(done.error());
            QMetaObject::invokeMethod(
                this,
                [this, all = done->entries, out = static_cast<int>(done->leftOut.size())] {
                    Q_EMIT rebuilt(all, out);
                },
                Qt::QueuedConnection);
            return {};
        },
        [this](const Expected<void>& done) { told(done); }, "rebuild");
}

} // namespace nordstjerna
