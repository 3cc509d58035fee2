// Whether a run's own settings give its pulses back, to the last digit.
#pragma once

#include <QString>

#include "core/motion/loop_replay.h"

// Empty when they do; else what differs first.
inline QString otherPulse(const nordstjerna::Run& run) {
    const auto again = nordstjerna::pulsesAgain(run);
    if (!again)
        return QString::fromStdString(again.error().text());
    if (again->size() != run.rows.size())
        return QString("%1 pulses for %2 rows").arg(again->size()).arg(run.rows.size());
    for (size_t i = 0; i < again->size(); ++i)
        if ((*again)[i].ra_ms != run.rows[i].pulseRa_ms || (*again)[i].dec_ms != run.rows[i].pulseDec_ms)
            return QString("row %1: %2 %3 against %4 %5")
                .arg(i)
                .arg((*again)[i].ra_ms)
                .arg((*again)[i].dec_ms)
                .arg(run.rows[i].pulseRa_ms)
                .arg(run.rows[i].pulseDec_ms);
    return {};
}
