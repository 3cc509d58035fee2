// How long the star took to come to rest after each of the last dithers, and the frame under way as a ring.
#pragma once

#include "core/procedure/guiding.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class SettleStrip : public Picture {
    Q_OBJECT
public:
    explicit SettleStrip(QWidget* parent = nullptr);
    void show(const std::vector<SettleRecord>& settles, double timeout_s);
    // share: 0…1 of the exposure; negative: none under way. word: below the figure.
    void setFrame(double share, const QString& figure, const QString& word);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    size_t shownRows() const;
    std::vector<SettleRecord> settles_;
    double timeout_s_ = 60.0;
    double share_ = -1.0;
    QString figure_, word_;
    QRectF bars_;
};

} // namespace nordstjerna
