// What each controller of the loop is and what it believes of its axis; its settings, where it has any.
#pragma once

#include <QFrame>

#include "core/guide/model_controller.h"
#include "core/guide/response_meter.h"
#include "core/guide/settings_book.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QWidget;

namespace nordstjerna {

class ChangeList;
class WormGlance;

class ControllersDrawer : public QFrame {
    Q_OBJECT
public:
    explicit ControllersDrawer(QWidget* parent = nullptr);
    void show(const SettingsBook& book);
    // Null: nothing is known yet.
    void believe(const AxisBelief* ra, const AxisBelief* dec, const Response& raResponse = {},
                 const Response& decResponse = {});
    using QFrame::show;

Q_SIGNALS:
    void changed(SettingKey key, double value); // by the person
    void undoWanted(int change);

private:
    struct Axis {
        QComboBox* kind;
        QLabel* belief;
        WormGlance* worm;
        QWidget* fields; // of the proportional loop
    };
    Axis makeAxis(int line, const QString& name, SettingKey first, SettingKey kind);
    QWidget* addField(SettingKey key);
    QString believed(const AxisBelief& b, const Response& response, bool ra) const;
    QString explained(const SettingsBook& book, SettingKey key) const;

    Axis ra_, dec_;
    std::vector<std::pair<SettingKey, QDoubleSpinBox*>> boxes_;
    QComboBox* decMode_;
    ChangeList* changes_;
};

// One turn of the worm as it is believed to be, and where it stands.
class WormGlance : public QWidget {
    Q_OBJECT
public:
    explicit WormGlance(QWidget* parent = nullptr);
    void show(const AxisBelief* belief);
    using QWidget::show;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<Measured> coefficients_;
    double phase_ = 0.0;
};

} // namespace nordstjerna
