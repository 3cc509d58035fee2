#include "desk/stations/review/import_sheet.h"

#include <QCheckBox>
#include <QComboBox>
#include <QGridLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

ImportSheet::ImportSheet(const std::filesystem::path& table, const std::filesystem::path& kept,
                         double guideScale, Instant start, QWidget* parent)
    : QDialog(parent), table_(table), kept_(kept), separator_(new QComboBox), timeKind_(new QComboBox),
      unit_(new QComboBox), kind_(new QComboBox), decimalComma_(new QCheckBox(tr("decimal comma"))),
      raWest_(new QCheckBox(tr("RA error is positive to the west"))),
      decSouth_(new QCheckBox(tr("Dec error is positive to the south"))),
      raPulseEast_(new QCheckBox(tr("RA pulses are positive to the east"))),
      decPulseSouth_(new QCheckBox(tr("Dec pulses are positive to the south"))),
      scale_(numberField(0.01, 100.0, 3, tr(" ″/px"))), pace_(numberField(0.05, 600.0, 2, " s")),
      start_(new QLineEdit(qs(formatInstant(start, 0)))), rows_(new QTableWidget), words_(new QLabel),
      import_(new QPushButton(tr("Import"))) {
    setWindowTitle(tr("Import %1").arg(qs(table.filename().string())));
    setObjectName("importSheet");
    resize(860, 560);
    auto* all = new QVBoxLayout(this);
    all->setSpacing(10);
    words_->setWordWrap(true);
    words_->setObjectName("importWords");
    words_->setFont(textFont(14));
    all->addWidget(words_);
    rows_->setObjectName("importRows");
    rows_->setAccessibleName(tr("First rows of the table"));
    rows_->verticalHeader()->hide();
    rows_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    rows_->setSelectionMode(QAbstractItemView::NoSelection);
    rows_->setShowGrid(false);
    all->addWidget(rows_, 1);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(10);
    const auto put = [&](int row, int column, const QString& label, QWidget* field, const char* name) {
        auto* l = new QLabel(label);
        l->setObjectName("muted");
        grid->addWidget(l, row, 2 * column);
        grid->addWidget(field, row, 2 * column + 1);
        field->setObjectName(name);
        field->setAccessibleName(label);
    };
    separator_->addItems({tr("comma"), tr("semicolon"), tr("tab"), tr("blanks")});
    timeKind_->addItems({tr("seconds"), tr("milliseconds"), tr("minutes"), tr("hours"), tr("clock 21:30:05"),
                         tr("date and time"), tr("none: fixed interval")});
    unit_->addItems({tr("arcseconds"), tr("pixels of")});
    kind_->addItems({tr("guided run"), tr("free run")});
    scale_->setExact(guideScale);
    pace_->setExact(2.0);
    put(0, 0, tr("Separator"), separator_, "importSeparator");
    put(1, 0, tr("Time in"), timeKind_, "importTime");
    put(2, 0, tr("Errors in"), unit_, "importUnit");
    put(0, 1, tr("It is a"), kind_, "importKind");
    put(1, 1, tr("interval"), pace_, "importPace");
    put(2, 1, tr("scale"), scale_, "importScale");
    put(3, 0, tr("First row (UTC)"), start_, "importStart");
    grid->addWidget(decimalComma_, 3, 2, 1, 2);
    int line = 0;
    for (const auto& [box, name] : {std::pair{raWest_, "importRaWest"},
                                    {decSouth_, "importDecSouth"},
                                    {raPulseEast_, "importRaPulseEast"},
                                    {decPulseSouth_, "importDecPulseSouth"}}) {
        box->setObjectName(name);
        grid->addWidget(box, line++, 4);
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    all->addLayout(grid);
    auto* buttons = new QHBoxLayout;
    import_->setObjectName("primary");
    import_->setDefault(true);
    auto* cancel = new QPushButton(tr("Cancel"));
    buttons->addWidget(import_);
    buttons->addWidget(cancel);
    buttons->addStretch();
    all->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(import_, &QPushButton::clicked, this, &ImportSheet::importWanted);
    connect(separator_, &QComboBox::currentIndexChanged, this, [this] { cutAnew(false); });
    connect(decimalComma_, &QCheckBox::toggled, this, [this] { cutAnew(false); });
    for (QComboBox* c : {timeKind_, unit_, kind_})
        connect(c, &QComboBox::currentIndexChanged, this, &ImportSheet::tell);
    connect(start_, &QLineEdit::textChanged, this, &ImportSheet::tell);
    cutAnew(true);
}

void ImportSheet::cutAnew(bool guess) {
    if (filling_)
        return;
    const auto preview = guess ? previewTable(table_)
                               : previewTable(table_, static_cast<Separator>(separator_->currentIndex()),
                                              decimalComma_->isChecked());
    if (!preview) {
        layout_ = {};
        rows_->setRowCount(0);
        roles_.clear();
        words_->setText(qs(preview.error().said()));
        import_->setEnabled(false);
        return;
    }
    layout_ = preview->layout;
    filling_ = true;
    separator_->setCurrentIndex(static_cast<int>(layout_.separator));
    decimalComma_->setChecked(layout_.decimalComma);
    filling_ = false;
    showRows(*preview);
    const auto known = keptMapping(kept_, layout_);
    ImportMapping m = known.value_or(proposedMapping(layout_));
    // What calls itself pixels is no ″; by which scale, the person sees and says.
    if (!known && m.raColumn >= 0)
        if (const QString name = qs(layout_.names[static_cast<size_t>(m.raColumn)]).toLower();
            name.contains("px") || name.contains("pix"))
            m.arcsecPerUnit = scale_->exact();
    show(m);
    tell();
}

void ImportSheet::showRows(const ImportPreview& preview) {
    rows_->clear();
    roles_.clear();
    rows_->setColumnCount(static_cast<int>(layout_.columns));
    rows_->setRowCount(static_cast<int>(preview.rows.size()) + 1);
    QStringList names;
    for (const std::string& n : layout_.names)
        names << qs(n);
    rows_->setHorizontalHeaderLabels(names);
    for (size_t k = 0; k < layout_.columns; ++k) {
        auto* role = new QComboBox;
        role->addItems({tr("–"), tr("time"), tr("RA error"), tr("Dec error"), tr("RA pulse, ms"),
                        tr("Dec pulse, ms"), tr("SNR")});
        role->setObjectName(QString("importRole%1").arg(k));
        role->setAccessibleName(tr("What %1 is").arg(names[static_cast<int>(k)]));
        connect(role, &QComboBox::currentIndexChanged, this, &ImportSheet::tell);
        rows_->setCellWidget(0, static_cast<int>(k), role);
        roles_.push_back(role);
    }
    for (size_t i = 0; i < preview.rows.size(); ++i)
        for (size_t k = 0; k < preview.rows[i].size(); ++k)
            rows_->setItem(static_cast<int>(i) + 1, static_cast<int>(k),
                           new QTableWidgetItem(qs(preview.rows[i][k])));
    rows_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
}

void ImportSheet::show(const ImportMapping& m) {
    filling_ = true;
    const auto set = [&](int column, Role role) {
        if (column >= 0 && column < static_cast<int>(roles_.size()))
            roles_[static_cast<size_t>(column)]->setCurrentIndex(static_cast<int>(role));
    };
    set(m.timeColumn, m.time == TimeKind::rowNumber ? Role::none : Role::time);
    set(m.raColumn, Role::ra);
    set(m.decColumn, Role::dec);
    set(m.raPulseColumn, Role::raPulse);
    set(m.decPulseColumn, Role::decPulse);
    set(m.snrColumn, Role::snr);
    timeKind_->setCurrentIndex(static_cast<int>(m.time));
    kind_->setCurrentIndex(m.kind == RunKind::free ? 1 : 0);
    pace_->setExact(m.pace_s);
    unit_->setCurrentIndex(m.arcsecPerUnit == 1.0 ? 0 : 1);
    if (m.arcsecPerUnit != 1.0)
        scale_->setExact(m.arcsecPerUnit);
    raWest_->setChecked(m.raWest);
    decSouth_->setChecked(m.decSouth);
    raPulseEast_->setChecked(m.raPulseEast);
    decPulseSouth_->setChecked(m.decPulseSouth);
    filling_ = false;
}

int ImportSheet::columnOf(Role role) const {
    for (size_t k = 0; k < roles_.size(); ++k)
        if (roles_[k]->currentIndex() == static_cast<int>(role))
            return static_cast<int>(k);
    return -1;
}

ImportMapping ImportSheet::mapping() const {
    ImportMapping m;
    m.time = static_cast<TimeKind>(timeKind_->currentIndex());
    m.timeColumn = columnOf(Role::time);
    m.raColumn = columnOf(Role::ra);
    m.decColumn = columnOf(Role::dec);
    m.raPulseColumn = columnOf(Role::raPulse);
    m.decPulseColumn = columnOf(Role::decPulse);
    m.snrColumn = columnOf(Role::snr);
    m.pace_s = pace_->exact();
    m.arcsecPerUnit = unit_->currentIndex() == 0 ? 1.0 : scale_->exact();
    m.raWest = raWest_->isChecked();
    m.decSouth = decSouth_->isChecked();
    m.raPulseEast = raPulseEast_->isChecked();
    m.decPulseSouth = decPulseSouth_->isChecked();
    m.kind = kind_->currentIndex() == 1 ? RunKind::free : RunKind::guided;
    if (const auto start = parseInstant(start_->text().trimmed().toStdString()))
        m.start = *start;
    return m;
}

// What is missing, or what will be done.
void ImportSheet::tell() {
    if (filling_ || roles_.empty())
        return;
    const ImportMapping m = mapping();
    scale_->setEnabled(unit_->currentIndex() == 1);
    pace_->setEnabled(m.time == TimeKind::rowNumber);
    start_->setEnabled(m.time != TimeKind::date);
    raPulseEast_->setEnabled(m.raPulseColumn >= 0);
    decPulseSouth_->setEnabled(m.decPulseColumn >= 0);
    QString missing;
    for (Role role : {Role::time, Role::ra, Role::dec, Role::raPulse, Role::decPulse, Role::snr}) {
        int count = 0;
        for (QComboBox* c : roles_)
            count += c->currentIndex() == static_cast<int>(role);
        if (count > 1)
            missing = tr("Two columns are said to be the same: %1.")
                          .arg(roles_.front()->itemText(static_cast<int>(role)));
    }
    if (missing.isEmpty() && (m.raColumn < 0 || m.decColumn < 0))
        missing = tr("Say above the rows which columns hold the errors of RA and Dec.");
    else if (missing.isEmpty() && m.time != TimeKind::rowNumber && m.timeColumn < 0)
        missing = tr("Say which column holds the time, or choose a fixed interval.");
    else if (missing.isEmpty() && m.time != TimeKind::date &&
             !parseInstant(start_->text().trimmed().toStdString()))
        missing = tr("The moment of the first row is written like 2026-10-14T21:30:05.");
    words_->setText(!missing.isEmpty()
                        ? missing
                        : tr("Check signs and units against the first rows, then import. These "
                             "choices are remembered for tables with the same columns."));
    import_->setEnabled(missing.isEmpty());
}

} // namespace nordstjerna
