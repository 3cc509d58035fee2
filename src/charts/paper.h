// A document in our look: text and pictures one below the other, as HTML (one file, pictures as SVG) or PDF
// (A4). Light, whatever the window wears.
#pragma once

#include <QString>
#include <filesystem>
#include <functional>
#include <memory>
#include <vector>

#include "charts/chart.h"
#include "core/base/problem.h"
#include "core/findings/finding.h"

namespace nordstjerna {

struct PaperBlock {
    QString heading, note; // plain text
    QString html;
    std::unique_ptr<Chart> chart; // or none
};

struct Paper {
    QString title, subline; // plain text
    std::vector<PaperBlock> blocks;
};

// By the ending of the path. Whole or not at all; over an earlier one only with `replace`. `make` is called
// when typefaces and colours of paper are there. Works without a screen and without an application object.
Expected<void> writePaper(const std::filesystem::path& path, const std::function<Paper()>& make,
                          bool replace);

QString findingsHtml(const std::vector<Finding>& findings);

} // namespace nordstjerna
