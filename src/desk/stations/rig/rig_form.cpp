#include "desk/stations/rig/rig_form.h"

#include <QCheckBox>
#include <QLineEdit>
#include <QRegularExpression>
#include <cmath>
#include <functional>
#include <vector>

#include "charts/text.h"
#include "core/base/number_text.h"
#include "core/rig/rig_fields.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

namespace {

// What the rig has, and of each field its own on the screen, where there is one.
class FormVisitor : public PartVisitor {
public:
    bool enter(const PartSpec& part, bool there) override { return there && PartVisitor::enter(part, there); }

protected:
    template <typename Widget>
    Widget* in(const std::map<std::string, Widget*>& fields, const FieldSpec& field) const {
        const auto at = fields.find(pathOf(field));
        return at == fields.end() ? nullptr : at->second;
    }
};

QString capitalised(const Text& text) {
    QString words = qs(text);
    if (!words.isEmpty())
        words[0] = words[0].toUpper();
    return words;
}

class FormBuilding : public FormVisitor {
public:
    FormBuilding(RigForm::Fields& fields, const RigForm::Cards& cards, QObject* whole,
                 std::function<void()> edit)
        : form_(fields), cards_(cards), whole_(whole), edit_(std::move(edit)) {}
    ~FormBuilding() override { endRow(); }
    FormBuilding(const FormBuilding&) = delete;
    FormBuilding& operator=(const FormBuilding&) = delete;

    void leave() override {
        endRow();
        FormVisitor::leave();
    }
    void number(const FieldSpec& field, double&) override { addNumber(field, field.decimals); }
    void whole(const FieldSpec& field, int&) override { addNumber(field, 0); }
    void flag(const FieldSpec& field, bool&) override {
        endRow();
        auto* box = new QCheckBox(qs(Text::say(field.label)));
        form_.flags[pathOf(field)] = box;
        name(box, field);
        QObject::connect(box, &QCheckBox::toggled, whole_, edit_);
        card(field)->addRow(box);
    }
    void text(const FieldSpec& field, std::string&) override { addText(field); }
    void numbers(const FieldSpec& field, std::vector<double>&) override {
        QLineEdit* line = addText(field);
        line->setPlaceholderText(QObject::tr("gears"));
        line->setToolTip(capitalised(Text::say(field.help)) +
                         QObject::tr("; with spaces between: 6.78 54.2"));
    }
    void names(const FieldSpec& field, std::vector<std::string>&) override {
        QLineEdit* line = addText(field);
        line->setPlaceholderText(QObject::tr("L, R, G, B"));
        line->setToolTip(capitalised(Text::say(field.help)) + QObject::tr("; with commas between"));
    }

private:
    QFormLayout* card(const FieldSpec& field) const {
        const std::string part = parts().empty() ? field.key : parts().front().key;
        return part == "imaging" || part == "optics" || part == "solve_with_imaging" ? cards_.imaging
               : part == "guiding" || part == "off_axis"                             ? cards_.guiding
               : part == "site"                                                      ? cards_.site
                                                                                     : cards_.mount;
    }
    void name(QWidget* w, const FieldSpec& field) {
        w->setObjectName(QString::fromStdString(pathOf(field)));
        w->setToolTip(capitalised(Text::say(field.help)));
    }
    void put(QWidget* w, const FieldSpec& field) {
        if (std::string(field.label) != "+") {
            endRow();
            label_ = qs(Text::say(field.label));
            to_ = card(field);
        } else {
            w->setAccessibleName(capitalised(Text::say(field.name)));
        }
        name(w, field);
        row_.push_back(w);
    }
    void addNumber(const FieldSpec& field, int decimals) {
        if (!*field.label)
            return;
        // What cannot be is refused with its reason, not kept from being typed.
        const double digits = std::floor(std::log10(std::max(field.high, 1.0))) + 1.0;
        auto* box = numberField(field.low < 0.0 ? -999.0 : 0.0, std::pow(10.0, digits) - 1.0, decimals,
                                qs(Text::say(field.unit)));
        if (field.zeroIsUnknown)
            box->setSpecialValueText(QObject::tr("not known"));
        if (*field.lowestMeans) {
            box->setMinimum(field.low);
            box->setSpecialValueText(qs(Text::say(field.lowestMeans)));
        }
        form_.numbers[pathOf(field)] = box;
        QObject::connect(box, &QDoubleSpinBox::valueChanged, whole_, edit_);
        put(box, field);
    }
    QLineEdit* addText(const FieldSpec& field) {
        if (!*field.label)
            return nullptr;
        auto* line = new QLineEdit;
        form_.texts[pathOf(field)] = line;
        QObject::connect(line, &QLineEdit::editingFinished, whole_, edit_);
        put(line, field);
        return line;
    }
    void endRow() {
        if (row_.size() == 1)
            formRow(to_, label_, {row_[0]});
        else if (row_.size() == 2)
            formRow(to_, label_, {row_[0], row_[1]});
        row_.clear();
    }
    RigForm::Fields& form_;
    RigForm::Cards cards_;
    QObject* whole_;
    std::function<void()> edit_;
    QString label_;
    QFormLayout* to_ = nullptr;
    std::vector<QWidget*> row_;
};

class FormShowing : public FormVisitor {
public:
    explicit FormShowing(const RigForm::Fields& fields) : form_(fields) {}
    void number(const FieldSpec& field, double& v) override { showNumber(field, v); }
    void whole(const FieldSpec& field, int& v) override { showNumber(field, v); }
    void flag(const FieldSpec& field, bool& v) override { form_.flags.at(pathOf(field))->setChecked(v); }
    void text(const FieldSpec& field, std::string& v) override {
        if (QLineEdit* line = in(form_.texts, field); line && line->text() != qs(v)) {
            line->setText(qs(v));
            line->setCursorPosition(0); // a long name is read from its beginning
        }
    }
    void numbers(const FieldSpec& field, std::vector<double>& v) override {
        QStringList words;
        for (double number : v)
            words << qs(exactText(number));
        form_.texts.at(pathOf(field))->setText(words.join(' '));
    }
    void names(const FieldSpec& field, std::vector<std::string>& v) override {
        QStringList words;
        for (const std::string& name : v)
            words << qs(name);
        form_.texts.at(pathOf(field))->setText(words.join(", "));
    }

private:
    void showNumber(const FieldSpec& field, double v) {
        if (NumberField* box = in(form_.numbers, field))
            box->setExact(v);
    }
    const RigForm::Fields& form_;
};

class FormReading : public FormVisitor {
public:
    explicit FormReading(const RigForm::Fields& fields) : form_(fields) {}
    void number(const FieldSpec& field, double& v) override {
        if (const NumberField* box = in(form_.numbers, field))
            v = box->exact();
    }
    void whole(const FieldSpec& field, int& v) override {
        if (const NumberField* box = in(form_.numbers, field))
            v = static_cast<int>(box->exact());
    }
    void flag(const FieldSpec& field, bool& v) override { v = form_.flags.at(pathOf(field))->isChecked(); }
    void text(const FieldSpec& field, std::string& v) override {
        if (const QLineEdit* line = in(form_.texts, field))
            v = line->text().trimmed().toStdString();
    }
    void numbers(const FieldSpec& field, std::vector<double>& v) override {
        v.clear();
        const QString words = form_.texts.at(pathOf(field))->text();
        for (const QString& word : words.split(QRegularExpression("[\\s;]+"), Qt::SkipEmptyParts))
            v.push_back(typedNumber(word.toStdString()).value_or(0.0)); // what is no number is refused
    }
    void names(const FieldSpec& field, std::vector<std::string>& v) override {
        v.clear();
        const QString line = form_.texts.at(pathOf(field))->text().trimmed();
        if (!line.isEmpty())
            for (const QString& name : line.split(',')) // an empty name is a slot that is not used
                v.push_back(name.trimmed().toStdString());
    }

private:
    const RigForm::Fields& form_;
};

} // namespace

RigForm::RigForm(const Cards& cards, QObject* parent) : QObject(parent) {
    Rig rig;
    FormBuilding building(fields_, cards, this, [this] { edit(); });
    describe(rig, building);
}

void RigForm::edit() {
    if (!showing_)
        Q_EMIT changed();
}

void RigForm::show(const Rig& rig) {
    showing_ = true;
    Rig shown = rig;
    // Tied to the imaging telescope the guide fields mirror it.
    shown.guideOptics = rig.guidingOptics();
    FormShowing showing(fields_);
    describe(shown, showing);
    showing_ = false;
}

Rig RigForm::edited(const Rig& before) const {
    Rig rig = before;
    FormReading reading(fields_);
    describe(rig, reading);
    // The own scope is kept for switching back.
    if (rig.offAxis || before.offAxis)
        rig.guideOptics = before.guideOptics;
    return rig;
}

} // namespace nordstjerna
