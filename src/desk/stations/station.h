// What every station of the night offers to the window.
#pragma once

#include <QWidget>
#include <functional>
#include <vector>

#include "core/findings/finding.h"
#include "desk/evening/procedure_host.h"
#include "desk/stations/station_id.h"
#include "desk/widgets/figure_text.h"
#include "desk/widgets/flow_row.h"
#include "desk/widgets/marks.h"

class QLabel;
class QPushButton;
class QHBoxLayout;
class QVBoxLayout;

namespace nordstjerna {

class StepBar;

// The parts of the evening that every station works with. What one of them needs besides, its constructor
// names.
struct StationParts {
    RigBook& rigs;
    TargetBook& targets;
    ThisNight& night;
    ProcedureHost& procedures;
    ProblemList& problems;
};

class Station : public QWidget {
    Q_OBJECT
public:
    Station(const StationParts& parts, StationId id, QWidget* parent = nullptr);

    StationId id() const { return id_; }
    QString name() const { return stationTitle(id_); }
    QString icon() const { return stationInfo(id_).icon; }
    virtual QString summary() const = 0; // the one figure on the rail
    virtual StationState state() const = 0;
    virtual std::vector<Finding> findings() const = 0;
    virtual QString help() const = 0; // what, why, how, what is good
    // Its parts as help numbers them, from top to bottom: where each stands, and what it is for.
    struct Landmark {
        QRect where;
        QString words;
    };
    QList<Landmark> landmarks() const;
    // What of it may fill the screen, the first one first. They live as long as the station.
    virtual QList<std::function<FigureText()>> largeFigures() const;
    // A finding's or a menu's command; false when not this station's.
    virtual bool perform(const Action& action) = 0;
    QPushButton* primary() const { return primary_; }
    // The person has come here: the cursor goes where it is wanted.
    virtual void arrive() { setFocus(); }

Q_SIGNALS:
    void changed(); // summary, state or findings
    void goTo(nordstjerna::StationId station);

protected:
    // Phase in small capitals and the sentence that says what to do now.
    void say(const QString& phase, const QString& sentence);
    QVBoxLayout* bench() const { return bench_; }     // the picture goes here
    QHBoxLayout* figures() const { return figures_; } // read-outs
    FlowRow* buttons() const { return buttons_; }     // after the primary button
    StepBar* steps() const { return steps_; }
    void setPrimary(const QString& text, bool enabled = true);
    RigBook& rigs() const { return parts_.rigs; }
    TargetBook& targets() const { return parts_.targets; }
    ThisNight& night() const { return parts_.night; }
    ProcedureHost& procedures() const { return parts_.procedures; }
    ProblemList& problems() const { return parts_.problems; }
    // Moves the mount; slewing() holds meanwhile and `refresh` is called at both ends.
    void slewTo(const HourAngleDec& target, const QString& purpose, const std::function<void()>& refresh);
    bool slewing() const { return slewing_; }

private:
    void restyle();
    StationParts parts_;
    StationId id_;
    QLabel* phase_;
    QLabel* sentence_;
    QVBoxLayout* bench_;
    QHBoxLayout* figures_;
    FlowRow* buttons_;
    QPushButton* primary_;
    StepBar* steps_;
    bool slewing_ = false;
};

} // namespace nordstjerna
