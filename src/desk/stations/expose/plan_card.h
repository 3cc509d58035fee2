// The plan of a series as fields to edit, and the sentence that says what comes of it.
#pragma once

#include <QFrame>

#include "core/series/series_plan.h"

class QCheckBox;
class QComboBox;
class QLabel;

namespace nordstjerna {

class NumberField;

class PlanCard : public QFrame {
    Q_OBJECT
public:
    explicit PlanCard(QWidget* parent = nullptr);
    // Fills in what the person wants; rig and target are there already.
    void read(SeriesSetup& setup) const;
    void say(const QString& sentence, bool wrong);
    void setEditable(bool editable); // while it runs only what takes effect at once
    QString sentence() const;

Q_SIGNALS:
    void changed();

private:
    NumberField *exposure_, *frames_, *size_, *every_, *down_, *within_, *past_, *holds_;
    QComboBox *pattern_, *begin_, *end_, *flip_;
    QLabel* sentence_;
};

} // namespace nordstjerna
