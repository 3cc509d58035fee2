// The window: rail, night band, workbench of the current station, findings, deck.
#pragma once

#include <QMainWindow>
#include <vector>

#include "core/findings/action.h"
#include "desk/start.h"
#include "desk/stations/station_id.h"

class QTimer;
class QMenu;
class QVBoxLayout;

namespace nordstjerna {

class Alarm;
class Announcer;
class Awake;
class ClockState;
class BenchStack;
class Deck;
class Departure;
class FindingsPanel;
class GuideStation;
class HandsSheet;
class NightBand;
class PoleStation;
class Rail;
class RatesStation;
class RigStation;
class Station;

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(BegunEvening begun);
    ~MainWindow() override;

    Session& session() { return *session_; }
    // Where the devices are stand-ins.
    SimulatedNight& simulatedNight() { return *simulated_; }
    void showStation(StationId id);
    Station* station(StationId id) const;
    FindingsPanel* findingsPanel() const { return findings_; }
    HandsSheet* handsSheet();
    Deck* deck() const { return deck_; }
    Alarm* alarm() const { return alarm_; }
    // The system asks for the end: what runs is ended, the mount stopped, then the window closes.
    void leaveNow();
    // What the window that takes this one's place begins with, once this one has closed; absent: the
    // program ends.
    const std::optional<StartWishes>& beginsAgain() const { return again_; }

protected:
    void closeEvent(QCloseEvent*) override;
    void showEvent(QShowEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    bool eventFilter(QObject*, QEvent*) override;

private:
    void buildMenus();
    void addIndexFolder();
    void chooseDevices();
    void beginNight(const std::string& name, bool unasked = false);
    void askForRig(bool atOnce);
    void showHelp();
    void showChecklist();
    void parkOrUnpark();
    void showFigure();
    void buildAlarm();
    void openAsBefore();
    void fitToScreen();
    void keepView();
    void refreshFindings();
    void listenToDesktop();
    void tellDesktop();
    void perform(const Action& action);
    QAction* add(QMenu* menu, const QString& text, const QKeySequence& keys,
                 const std::function<void()>& what);

    std::unique_ptr<Session> session_;
    std::shared_ptr<SimulatedNight> simulated_; // the devices are stand-ins; else absent
    DeviceChoice devices_;                      // those in use
    std::function<Expected<std::filesystem::path>(bool)> recordWire_; // see BegunEvening
    ClockState* clockState_;
    std::vector<Station*> stations_;
    RigStation* rig_;
    Rail* rail_;
    NightBand* band_;
    BenchStack* bench_;
    FindingsPanel* findings_;
    Deck* deck_;
    HandsSheet* hands_ = nullptr;
    QTimer* timer_;
    QList<QAction*> actions_;
    StationId current_ = StationId::rig;
    QVBoxLayout* strip_ = nullptr;
    bool narrow_ = false;
    bool wideFindings_ = true;
    Departure* departure_;
    void recordWire(QAction& action, bool on);
    Awake* awake_;
    Alarm* alarm_ = nullptr;
    Announcer* announcer_;             // to screen readers
    bool left_ = false;                // nothing keeps the program any more
    std::optional<StartWishes> again_; // another window is to follow
};

} // namespace nordstjerna
