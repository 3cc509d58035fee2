// The sightings of an arc beside the map: thumbnail of each solved frame, its uncertainty, or why it failed.
#pragma once

#include <QFrame>
#include <memory>
#include <optional>
#include <vector>

#include "core/base/problem.h"
#include "core/image/frame.h"

class QLabel;

namespace nordstjerna {

struct SightingShown {
    QString place;                      // where it is planned
    std::shared_ptr<const Frame> frame; // once solved
    int matched = 0;
    double sigma_arcsec = 0.0;
    std::optional<Problem> failure;
};

class SightingList : public QFrame {
    Q_OBJECT
public:
    explicit SightingList(QWidget* parent = nullptr);
    void show(const std::vector<SightingShown>& sightings);

private:
    struct Row {
        QWidget* widget;
        QLabel *picture, *head, *detail;
        std::shared_ptr<const Frame> frame;
    };
    std::vector<Row> rows_;
};

} // namespace nordstjerna
