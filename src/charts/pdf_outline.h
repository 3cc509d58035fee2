// Headings of a PDF that readers show at its side. The writer at hand makes none, so they are appended as the
// format foresees it: an incremental update (ISO 32000-1:2008, 7.5.6), outlines by 12.3.3.
#pragma once

#include <QByteArray>
#include <QString>
#include <vector>

namespace nordstjerna {

struct PdfHeading {
    QString title;
    int page = 0;        // from 0
    double top_pt = 0.0; // above the lower edge of the page
};

// False, and the document as it was, where it is not written as expected: a table of offsets, and one list of
// pages.
bool addOutline(QByteArray& pdf, const std::vector<PdfHeading>& headings);

} // namespace nordstjerna
