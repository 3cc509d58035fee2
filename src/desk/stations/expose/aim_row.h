// What the aim of the loop does besides dithers: whether it follows flexure, and how the target moves among
// the stars. The motion belongs to the target: another one stands still again.
#pragma once

#include <QWidget>
#include <map>

#include "core/series/aim_wish.h"
#include "core/sky/civil_time.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QTimeEdit;

namespace nordstjerna {

class NumberField;

class AimRow : public QWidget {
    Q_OBJECT
public:
    explicit AimRow(QWidget* parent = nullptr);
    // Clock times belong to the night that begins at noon.
    void setNight(Instant noon, const CivilTime& zone);
    // What a motion that is typed holds for.
    void setNow(Instant now) { now_ = now; }
    void setMotion(const TargetMotion& motion);
    void setFollowing(bool on);
    AimWish wish() const;
    // "follows flexure, 160″/h"; that it stands still.
    QString summary() const;
    // By the names of the fields; the motion is none of them.
    void values(std::map<std::string, double>& all) const;
    void setValues(const std::map<std::string, double>& values);

Q_SIGNALS:
    void changed();
    // Two places of the target were given: it stands at the second one at motion.at.
    void placeWanted(const Vec3& place, const TargetMotion& motion);

private:
    struct Place {
        QLineEdit* where;
        QTimeEdit* when;
    };
    QWidget* placesRow();
    Place placeFields(const QString& name, const char* object);
    void typed();
    void readPlaces();
    void usePlaces();

    QCheckBox* follow_;
    NumberField *speed_, *towards_;
    QPushButton* twoPlaces_;
    QWidget* places_;
    Place first_, second_;
    QLabel* found_;
    QPushButton* use_;
    std::optional<TargetMotion> between_; // of the two places
    Vec3 place_ = Vec3::UnitX();          // the second one
    TargetMotion motion_;
    Instant now_, noon_;
    CivilTime zone_;
};

} // namespace nordstjerna
