// The night log: a database of what was measured, night after night. SQLite with a write-ahead log; the
// version of its tables is kept and brought up to date when it is opened.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/rates/calibration.h"
#include "core/rig/rig.h"
#include "core/sky/instant.h"

struct sqlite3;

namespace nordstjerna {

struct LoggedRates {
    long long id = 0;
    Instant when;
    std::string rig; // its name then
    Rates rates;
};

class NightLog {
public:
    // Makes the file where there is none. Fails when it is damaged, newer than this application, or not
    // writable.
    static Expected<NightLog> open(const std::filesystem::path& path);
    NightLog(NightLog&&) noexcept;
    NightLog& operator=(NightLog&&) noexcept;
    ~NightLog();

    Expected<void> addRates(Instant when, const Rig& rig, const Rates& rates);
    // Of one rig by its identity, newest first; entries that can no longer be read are left out.
    Expected<std::vector<LoggedRates>> ratesOf(const std::string& rigId, int most = 20) const;
    int schemaVersion() const;

private:
    explicit NightLog(sqlite3* db) : db_(db) {}
    Expected<void> run(const char* sql);
    Expected<void> migrate();
    sqlite3* db_ = nullptr;
};

} // namespace nordstjerna
