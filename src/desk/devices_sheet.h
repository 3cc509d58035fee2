// Which devices the evening is spent with: the simulated night, or those that a device server offers, each
// with its role. What is chosen counts from the next beginning on.
#pragma once

#include <QDialog>
#include <functional>
#include <memory>

#include "core/rig/rig.h"
#include "edge/store/device_choice.h"

class QCheckBox;
class QComboBox;
class QGridLayout;
class QLabel;
class QLineEdit;
class QPushButton;
class QRadioButton;
class QSpinBox;

namespace nordstjerna {

class DevicesSheet : public QDialog {
    Q_OBJECT
public:
    // taken: called with what was chosen, and the rig with what the devices tell of themselves; says what
    // went wrong.
    using Taken = std::function<Expected<void>(const DeviceChoice&, const Rig&)>;
    DevicesSheet(const DeviceChoice& now, const Rig& rig, Taken taken, QWidget* parent);
    ~DevicesSheet() override;

private:
    struct Row {
        std::string WireRoles::*role;
        WireRole use;
        QComboBox* choice;
        QLabel* facts;
    };
    void addRow(QGridLayout* grid, const WirePlace& place);
    void build();
    void ask();
    void refresh();
    void fillChoices(const std::vector<WireOffer>& offers);
    void tellFacts(const std::vector<WireOffer>& offers);
    void take();
    const WireOffer* offerOf(const std::string& device) const;
    Rig rigAsTold() const;

    DeviceChoice choice_;
    Rig rig_;
    Taken taken_;
    std::unique_ptr<WireLink> link_;
    std::vector<WireOffer> offers_;
    QRadioButton *simulated_, *server_;
    QLineEdit* host_;
    QSpinBox* port_;
    QPushButton *ask_, *begin_;
    QLabel* told_;
    QCheckBox* figures_;
    QWidget* part_; // of a server: hidden while it is not wanted
    std::vector<Row> rows_;
    bool proposed_ = false;
    size_t greeted_ = 0;    // devices that were there when they were last asked to connect
    int sinceGreeting_ = 0; // looks
};

} // namespace nordstjerna
