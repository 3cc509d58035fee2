// What of an evening survives its end: one file, written beside the window, the newest state only. One
// program at a time keeps it; another one says so and asks before it takes over.
#pragma once

#include <QObject>

#include "desk/problem_list.h"
#include "edge/store/evening_file.h"
#include "edge/store/folder_owner.h"
#include "edge/store/write_queue.h"

namespace nordstjerna {

class EveningStore : public QObject {
public:
    // What lies in the data folder from the last evening is read at once. The queue must end first.
    EveningStore(std::filesystem::path dataFolder, WriteQueue& writes, ProblemList& problems);

    const std::filesystem::path& dataFolder() const { return folder_; }
    const Evening& evening() const { return evening_; }
    // Changes it, and has it written.
    template <typename Change>
    void edit(const Change& change) {
        change(evening_);
        keep();
    }
    // Changes what the next writing holds, without one of its own.
    template <typename Change>
    void fill(const Change& change) {
        change(evening_);
    }

    // Whether what is changed here is kept; else another program of ours has this evening. Looks anew.
    bool owns();
    void takeOver();
    // Beside the window, as long as the evening is this program's; trouble is told as of that cause.
    void write(ProblemCause cause, const std::string& name, std::function<Expected<void>()> work);
    // All that was to be written is on disk.
    bool flush(double patience_s) { return writes_.flush(patience_s); }

    // Where the person was.
    void keepView(const std::string& station, const std::string& theme, bool findings,
                  const std::string& windowPlace);
    // The plan of the last series with these optics and how targets are centred, by the names of their
    // fields; empty where nothing is kept.
    Evening::Fields seriesPlan(const std::string& opticsId) const;
    void keepSeriesPlan(const std::string& opticsId, const Evening::Fields& plan,
                        const std::filesystem::path& folder);
    Evening::Fields centring(const std::string& opticsId) const;
    void keepCentring(const std::string& opticsId, const Evening::Fields& fields);
    // The same of how sightings of the pole are taken with this mount.
    Evening::Fields sightings(const std::string& mountId) const;
    void keepSightings(const std::string& mountId, const Evening::Fields& fields);
    // Where frames go unless the person chose another folder.
    std::filesystem::path imageFolder() const;

private:
    void restore();
    void keep();
    std::filesystem::path folder_;
    WriteQueue& writes_;
    ProblemList& problems_;
    std::shared_ptr<FolderOwner> owner_; // of the folder
    Evening evening_;
    bool lost_ = false; // what lies there can neither be read nor moved
};

} // namespace nordstjerna
