// What is done this night goes from here into the night log: entered before it begins, closed with how it
// ended. All writing happens beside the window.
#pragma once

#include <QObject>
#include <functional>
#include <map>

#include "desk/problem_list.h"
#include "edge/store/night_book.h"
#include "edge/store/write_queue.h"

namespace nordstjerna {

class Logbook : public QObject {
    Q_OBJECT
public:
    // Works out what an entry keeps (figures, findings) once, in the writing thread.
    using Fill = std::function<void(LogEntry&)>;

    // The queue must end before the logbook does. What earlier programs left open is closed.
    Logbook(std::filesystem::path dataFolder, WriteQueue& queue, ProblemList& problems);
    const std::filesystem::path& folder() const { return folder_; }
    // Why the night log is not being written at present; empty when it is.
    const QString& notLogged() const { return notLogged_; }

    // Its identity.
    std::string begin(LogEntry entry);
    // Where its table lies, once that is known for certain.
    void setFile(const std::string& id, const std::filesystem::path& file);
    void end(const std::string& id, Instant when, const Text& how, Fill fill = {});
    // Begun and ended at once.
    std::string add(LogEntry entry, Fill fill = {});
    // By the person.
    void setNote(const std::string& id, const std::string& note);

    // Rates of one rig, newest first; none where the log cannot be read, which is told.
    std::vector<LoggedCalibration> calibrationOf(const std::string& rigId);
    void addCalibration(Instant when, const Rig& rig, const Calibration& calibration);

    // A path of a table as entries hold it, and where that of an entry lies.
    std::string relative(const std::filesystem::path& file) const;
    std::filesystem::path tableOf(const LogEntry& entry) const {
        return nordstjerna::tableOf(folder_, entry);
    }
    // Makes the log anew from records and tables, beside the window.
    void rebuild(const std::function<Instant(Instant)>& noon);

Q_SIGNALS:
    void changed(); // something new is in the log
    void rebuilt(int entries, int leftOut);
    void calibrationAdded();
    void troubleChanged(); // notLogged()

private:
    LogEntry named(LogEntry entry) const; // with an identity, as of this program
    void write(LogEntry entry, Fill fill);
    void told(const Expected<void>& done);
    void setNotLogged(const QString& why);
    std::optional<NightLog> openToRead();
    std::filesystem::path folder_;
    WriteQueue& queue_;
    std::optional<SessionMark> mark_;
    std::map<std::string, LogEntry> open_;
    ProblemList& problems_;
    QString notLogged_;
    bool readable_ = false;
};

} // namespace nordstjerna
