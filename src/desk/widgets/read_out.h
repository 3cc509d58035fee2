// One large figure with its name, unit and the words it is judged by.
#pragma once

#include <QFrame>
#include <QLabel>

#include "desk/widgets/figure_text.h"

namespace nordstjerna {

class ReadOut : public QFrame {
    Q_OBJECT
public:
    explicit ReadOut(const QString& title, QWidget* parent = nullptr);
    // `value` large, `unit` beside it, `note` below.
    void show(const QString& value, const QString& unit, const QString& note);
    void showNothing(const QString& note) { show("–", "", note); }
    void setTitle(const QString& title);
    QString title() const { return title_->text(); }
    QString value() const { return value_->text(); }
    QString unit() const { return unit_->text(); }
    QString note() const { return fullNote_; }
    FigureText figure() const { return {title(), value(), unit(), note()}; }

protected:
    void resizeEvent(QResizeEvent*) override {
        fitTitle();
        fit();
    }

private:
    void restyle();
    void fitTitle(); // as high as it needs
    void fit();      // smaller figures and a shortened note where the card is narrow
    QLabel* title_;
    QLabel* value_;
    QLabel* unit_;
    QLabel* note_;
    QString fullNote_;
};

} // namespace nordstjerna
