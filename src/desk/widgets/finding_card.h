// One finding as a card that is filled anew in place.
#pragma once

#include <QFrame>

#include "core/findings/finding.h"

class QLabel;
class QPushButton;
class QToolButton;

namespace nordstjerna {

class FindingCard : public QFrame {
    Q_OBJECT
public:
    explicit FindingCard(QWidget* parent = nullptr);
    // Only what differs is changed: buttons under the pointer stay.
    void fill(const Finding& f, const QString& laterLabel);
    const QString& id() const { return id_; }
    void setOpen(bool open);
    bool isOpen() const { return open_; }
    Weight weight() const { return weight_; }

Q_SIGNALS:
    void actionWanted(const nordstjerna::Action& action);
    void laterWanted();
    void opened();

protected:
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void restyle();
    void showParts();
    void showHeadline();
    QString id_, headlineText_;
    Action action_;
    Weight weight_ = Weight::know;
    bool open_ = false;
    QLabel *headline_, *evidence_, *remedy_;
    QWidget* row_;
    QPushButton *act_, *later_;
};

} // namespace nordstjerna
