// Tables that describe themselves: ECSV 1.0 (a YAML header with names, units and metadata above a plain
// delimited table). Values stay text here; the run and calibration tables give them meaning.
#pragma once

#include <yaml-cpp/yaml.h>

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/problem.h"

namespace nordstjerna {

struct EcsvColumn {
    std::string name;
    std::string unit;
    std::string datatype;
};

struct EcsvTable {
    std::vector<EcsvColumn> columns;
    YAML::Node meta; // a map; an ordered map in the file is flattened
    std::vector<std::vector<std::string>> rows;

    int find(const std::string& name) const; // −1 when absent
};

// A last row without its newline (a recording that was killed) is dropped; a bad row elsewhere is an error.
Expected<EcsvTable> readEcsv(const std::filesystem::path& path);

// Header text from "# %ECSV 1.0" to the line of names, metadata given as ready YAML lines.
std::string ecsvHeader(const std::vector<EcsvColumn>& columns, const std::vector<std::string>& metaLines);
// A plain scalar of YAML, quoted where it would be taken for something else.
std::string yamlText(const std::string& value);
// A number cell; "nan" for what is not finite.
std::string ecsvNumber(double value, int decimals);
// A text cell, quoted where needed.
std::string ecsvText(const std::string& value);

// Column `name` as numbers; fails when absent, in another unit than wanted, or not numeric. An empty or
// "nan" cell is NaN.
Expected<std::vector<double>> ecsvNumbers(const EcsvTable& table, const std::string& name,
                                          const std::string& unit);

} // namespace nordstjerna
