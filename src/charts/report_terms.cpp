#include "charts/report_terms.h"

#include "charts/text.h"

namespace nordstjerna {

namespace {
struct Term {
    const char* word;
    const char* meaning;
};

constexpr Term reportTerms[] = {
    {QT_TRANSLATE_NOOP("QObject", "total RMS"),
     QT_TRANSLATE_NOOP("QObject", "How far the guide star was from where it should be: both axes together, "
                                  "over all frames. The seeing is part of it.")},
    {QT_TRANSLATE_NOOP("QObject", "mount part"),
     QT_TRANSLATE_NOOP("QObject", "The part of the error that is the mount's own motion. The seeing and the "
                                  "noise of the camera are taken out.")},
    {QT_TRANSLATE_NOOP("QObject", "seeing"),
     QT_TRANSLATE_NOOP("QObject", "What the atmosphere does to the place of a star from frame to frame. No "
                                  "mount can follow it.")},
    {QT_TRANSLATE_NOOP("QObject", "drift"),
     QT_TRANSLATE_NOOP("QObject", "How fast the star moves while nothing corrects: the polar axis is off the "
                                  "pole, or the telescope bends.")},
    {QT_TRANSLATE_NOOP("QObject", "worm"),
     QT_TRANSLATE_NOOP("QObject", "The screw that turns the right ascension axis. What is not round about it "
                                  "comes back with each of its turns.")},
    {QT_TRANSLATE_NOOP("QObject", "periodic error"),
     QT_TRANSLATE_NOOP("QObject", "The error that the worm repeats, from its lowest point to its highest.")},
    {QT_TRANSLATE_NOOP("QObject", "backlash"),
     QT_TRANSLATE_NOOP("QObject", "What an axis must turn after a reversal before the telescope follows.")},
    {QT_TRANSLATE_NOOP("QObject", "dither"),
     QT_TRANSLATE_NOOP("QObject", "A small move between two frames, so that faults of the sensor fall on "
                                  "another place of the sky.")},
    {QT_TRANSLATE_NOOP("QObject", "flexure"),
     QT_TRANSLATE_NOOP("QObject", "The two telescopes bend against each other: the field moves although the "
                                  "guide star stands still.")},
    {QT_TRANSLATE_NOOP("QObject", "FWHM"),
     QT_TRANSLATE_NOOP("QObject", "The width of the stars at half of their brightness. Less is sharper.")},
    {QT_TRANSLATE_NOOP("QObject", "elongation"),
     QT_TRANSLATE_NOOP("QObject", "By how much stars are longer than wide; 0 is round.")},
    {QT_TRANSLATE_NOOP("QObject", "flagged"),
     QT_TRANSLATE_NOOP("QObject",
                       "A frame to look at before it is used: a cloud, a jolt, a track across it.")},
    {"σ", QT_TRANSLATE_NOOP("QObject", "One standard deviation: two times in three the true value lies no "
                                       "farther off than the figure behind ±.")},
    {"±", QT_TRANSLATE_NOOP("QObject", "The uncertainty of the figure before it, one standard deviation.")},
};
} // namespace

void explainTerms(Paper& paper) {
    QString all = paper.title + ' ' + paper.subline;
    for (const PaperBlock& b : paper.blocks)
        all += ' ' + b.heading + ' ' + b.note + ' ' + b.html;
    QString html;
    for (const Term& t : reportTerms)
        if (const QString word = tr(t.word); all.contains(word, Qt::CaseInsensitive))
            html += QString("<tr><td><b>%1</b></td><td>%2</td></tr>")
                        .arg(word.toHtmlEscaped(), tr(t.meaning).toHtmlEscaped());
    if (!html.isEmpty())
        paper.blocks.push_back(
            {tr("What the words mean"), {}, "<table cellpadding=\"4\">" + html + "</table>", nullptr});
}

} // namespace nordstjerna
