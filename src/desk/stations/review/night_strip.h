// The nights as a strip of small night bands, the newest above, each with its best figure.
#pragma once

#include <QWidget>

#include "edge/store/night_log.h"

#include "core/sky/civil_time.h"

namespace nordstjerna {

class NightStrip : public QWidget {
    Q_OBJECT
public:
    explicit NightStrip(QWidget* parent = nullptr);
    void show(const std::vector<NightSummary>& nights, const CivilTime& zone);
    using QWidget::show;
    void choose(std::optional<Instant> night); // nothing: none is marked
    std::optional<Instant> chosen() const { return chosen_; }
    QSize sizeHint() const override;

Q_SIGNALS:
    void nightChosen(nordstjerna::Instant night);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    void paintNight(QPainter& p, const QRectF& row, const NightSummary& night) const;
    int indexAt(double y) const;
    void take(int index);
    std::vector<NightSummary> nights_;
    std::optional<Instant> chosen_;
    CivilTime zone_;
};

} // namespace nordstjerna
