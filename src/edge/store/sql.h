// A prepared statement of SQLite that is finished when it goes.
#pragma once

#include <sqlite3.h>

#include <string>

#include "core/base/problem.h"

namespace nordstjerna {

class Statement {
public:
    Statement(sqlite3* db, const char* sql) {
        ready_ = sqlite3_prepare_v2(db, sql, -1, &s_, nullptr) == SQLITE_OK;
    }
    ~Statement() { sqlite3_finalize(s_); }
    Statement(const Statement&) = delete;
    Statement& operator=(const Statement&) = delete;

    // Values in the order of the question marks.
    Statement& operator<<(double value) {
        ready_ = ready_ && sqlite3_bind_double(s_, ++bound_, value) == SQLITE_OK;
        return *this;
    }
    Statement& operator<<(int value) {
        ready_ = ready_ && sqlite3_bind_int(s_, ++bound_, value) == SQLITE_OK;
        return *this;
    }
    Statement& operator<<(const std::string& value) {
        ready_ = ready_ && sqlite3_bind_text(s_, ++bound_, value.data(), static_cast<int>(value.size()),
                                             SQLITE_TRANSIENT) == SQLITE_OK;
        return *this;
    }
    Statement& null() {
        ++bound_;
        return *this;
    }

    // The next row; false at the end or after a failure, which done() tells apart.
    bool next() {
        status_ = ready_ ? sqlite3_step(s_) : SQLITE_ERROR;
        return status_ == SQLITE_ROW;
    }
    // Of a statement that has no rows.
    bool execute() {
        while (next()) {
        }
        return done();
    }
    bool done() const { return status_ == SQLITE_DONE; }
    void again() {
        sqlite3_reset(s_);
        sqlite3_clear_bindings(s_);
        bound_ = 0;
    }

    double number(int column) const { return sqlite3_column_double(s_, column); }
    int whole(int column) const { return sqlite3_column_int(s_, column); }
    long long id(int column) const { return sqlite3_column_int64(s_, column); }
    bool isNull(int column) const { return sqlite3_column_type(s_, column) == SQLITE_NULL; }
    std::string text(int column) const {
        const auto* t = static_cast<const char*>(static_cast<const void*>(sqlite3_column_text(s_, column)));
        return t ? std::string(t, static_cast<size_t>(sqlite3_column_bytes(s_, column))) : std::string();
    }

private:
    sqlite3_stmt* s_ = nullptr;
    int bound_ = 0;
    int status_ = SQLITE_OK;
    bool ready_ = false;
};

tl::unexpected<Problem> logProblem(sqlite3* db, const Text& what);

} // namespace nordstjerna
