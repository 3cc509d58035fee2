// The plan of a series as fields to edit, and the sentence that says what comes of it.
#pragma once

#include <QFrame>

#include "core/series/series_plan.h"
#include "core/sky/civil_time.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QTimeEdit;

namespace nordstjerna {

class AimRow;
class ChoiceTiles;
class FilterTurnsRow;
class NumberField;

class PlanCard : public QFrame {
    Q_OBJECT
public:
    explicit PlanCard(QWidget* parent = nullptr);
    // The night that clock times belong to: its noon, and the local clock.
    void setNight(Instant noon, const CivilTime& zone);
    // By hand on the night band.
    void beginAt(Instant t);
    void endAt(Instant t);
    void setFrames(int frames);
    void setSettling(double within_px, double for_s);
    void setFollowing(bool on); // of flexure, by the aim
    void setMotion(const TargetMotion& motion);
    void setNow(Instant now);
    void setMotor(bool there); // on the imaging camera's focus
    void setMountChoosesSide(bool can);
    void setFilters(const std::vector<std::string>& filters);
    // Of the imaging camera: what it says of itself; empty: there is none. works: it is not off.
    void setCooler(const QString& words, bool works);
    // Fills in what the person wants; rig and target are there already.
    void read(SeriesSetup& setup) const;
    // What stands in the fields by their names, and back; unknown names are passed over.
    std::map<std::string, double> values() const;
    void setValues(const std::map<std::string, double>& values);
    void say(const QString& sentence, bool wrong);
    void setEditable(bool editable); // the fields are there, or only the sentence
    QString sentence() const;

Q_SIGNALS:
    void changed();
    void coolNow(double to_c);
    void warmNow();
    void placeWanted(const Vec3& place, const TargetMotion& motion);

private:
    std::vector<NumberField*> numbers() const;
    QWidget* framesPage();
    QWidget* whenPage();
    QWidget* ditherPage();
    QWidget* flipPage();
    QWidget* focusPage();
    void openPage(int index);
    void edited();
    void summarise();
    void refreshCoolNow();
    Instant momentOf(const QTimeEdit* clock) const;
    void setMoment(QComboBox* choice, QTimeEdit* clock, Instant t);
    NumberField *exposure_, *frames_, *size_, *every_, *up_, *down_, *within_, *past_, *holds_, *timeout_,
        *coolTo_;
    QComboBox *pattern_, *begin_, *end_, *flip_, *refocus_, *after_;
    NumberField* grown_;
    QCheckBox *raOnly_, *guided_, *warm_, *fill_;
    FilterTurnsRow* turns_;
    AimRow* aim_;
    QWidget* cooling_;
    QLabel* sensor_;
    QPushButton* coolNow_;
    bool coolerWorks_ = false;
    QTimeEdit *beginClock_, *endClock_;
    Instant noon_;
    CivilTime zone_;
    std::optional<bool> choosesSide_; // the mount may be told on which side to hang
    QWidget* fields_;
    ChoiceTiles* tiles_;
    std::vector<QWidget*> pages_; // one a tile
    QLabel* sentence_;
};

} // namespace nordstjerna
