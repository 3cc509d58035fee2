// The ladder: elongation against exposure, as expected of the mount left alone and as it came out.
#pragma once

#include "core/series/ladder.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class LadderChart : public Picture {
    Q_OBJECT
public:
    explicit LadderChart(QWidget* parent = nullptr);
    // words: what the expectation rests on.
    void show(const LadderMount& mount, const std::vector<LadderRung>& rungs,
              const std::vector<double>& planned_s, const QString& words);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    struct Expected {
        double exposure_s;
        Measured elongation;
    };
    double xOf(double exposure_s) const;
    double yOf(double elongation) const;
    std::vector<Expected> curve_;
    std::vector<LadderRung> rungs_;
    std::vector<double> planned_;
    double upTo_s_ = 0.0; // round, expected
    bool known_ = false;
    QString words_;
    QRectF field_;
    double shortest_s_ = 10.0, longest_s_ = 600.0, highest_ = 0.6;
};

} // namespace nordstjerna
