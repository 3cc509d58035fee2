// Assigning the columns of a table from elsewhere, beside its first rows.
#pragma once

#include <QDialog>

#include "edge/store/import_table.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QTableWidget;

namespace nordstjerna {

class NumberField;

class ImportSheet : public QDialog {
    Q_OBJECT
public:
    // kept: the file of remembered mappings. guideScale: what a pixel is taken as at first.
    ImportSheet(const std::filesystem::path& table, const std::filesystem::path& kept,
                double guideScale_arcsec_px, Instant start, QWidget* parent = nullptr);
    const std::filesystem::path& table() const { return table_; }
    const ImportLayout& layoutOfTable() const { return layout_; }
    ImportMapping mapping() const;

Q_SIGNALS:
    void importWanted();

private:
    enum class Role { none, time, ra, dec, raPulse, decPulse, snr };
    void cutAnew(bool guess);
    void showRows(const ImportPreview& preview);
    void show(const ImportMapping& m);
    void tell();
    int columnOf(Role role) const;
    std::filesystem::path table_, kept_;
    ImportLayout layout_;
    QComboBox *separator_, *timeKind_, *unit_, *kind_;
    QCheckBox *decimalComma_, *raWest_, *decSouth_, *raPulseEast_, *decPulseSouth_;
    NumberField *scale_, *pace_;
    QLineEdit* start_;
    QTableWidget* rows_;
    std::vector<QComboBox*> roles_;
    QLabel* words_;
    QPushButton* import_;
    bool filling_ = false;
};

} // namespace nordstjerna
