// The fields of a rig as a form: one field on the screen for each that describe() names, in cards.
#pragma once

#include <QObject>
#include <map>
#include <string>

#include "core/rig/rig.h"

class QCheckBox;
class QFormLayout;
class QLineEdit;

namespace nordstjerna {

class NumberField;

class RigForm : public QObject {
    Q_OBJECT
public:
    struct Cards {
        QFormLayout *imaging, *guiding, *mount, *site;
    };
    struct Fields {
        std::map<std::string, NumberField*> numbers;
        std::map<std::string, QLineEdit*> texts;
        std::map<std::string, QCheckBox*> flags;
    };
    // Fields are named by the path of their key in a rig's file: "guiding.optics.focal_mm".
    RigForm(const Cards& cards, QObject* parent);

    void show(const Rig& rig);
    // The rig as it was with what stands in the form; what is no number is taken for nought.
    Rig edited(const Rig& before) const;
    NumberField* number(const std::string& path) const { return fields_.numbers.at(path); }
    QLineEdit* text(const std::string& path) const { return fields_.texts.at(path); }

Q_SIGNALS:
    void changed(); // a person edited a field

private:
    void edit();
    Fields fields_;
    bool showing_ = false;
};

} // namespace nordstjerna
