// The columns of a run table, once for ECSV, CSV and FITS.
#pragma once

#include <span>
#include <string>
#include <variant>

#include "core/motion/run.h"

namespace nordstjerna {

struct ColumnSpec {
    const char* name;
    const char* unit; // as ECSV spells it; empty: none
    const char* datatype;
    int decimals;
    bool needed; // a table without it is no run
    std::variant<double RunRow::*, int RunRow::*, RunEvents RunRow::*> field;

    bool isText() const { return std::holds_alternative<RunEvents RunRow::*>(field); }
    bool isWorm() const; // only where the mount reports the phase of its worm
    double number(const RunRow& row) const;
    void setNumber(RunRow& row, double value) const; // of a column of float64
    std::string fitsUnit() const;                    // as FITS spells it
};

std::span<const ColumnSpec> runColumns();

} // namespace nordstjerna
