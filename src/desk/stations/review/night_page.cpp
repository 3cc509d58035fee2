#include "desk/stations/review/night_page.h"

#include <QHeaderView>
#include <QLabel>
#include <QPlainTextEdit>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QTimer>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/guide/settings_book.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
enum Column { when, what, target, figure, ended, columns };

QString changeText(const SettingNote& c) {
    const auto key = settingWithId(c.setting);
    const auto value = [&](double v) { return key ? qs(settingText(*key, v)) : QString::number(v); };
    QString text = QString("%1: %2 → %3")
                       .arg(key ? qs(settingName(*key)) : qs(c.setting), value(c.before), value(c.after));
    if (!c.origin.empty())
        text += " (" + qs(c.origin) + ")";
    return text;
}
} // namespace

NightPage::NightPage(QWidget* parent)
    : QWidget(parent), table_(new QTableWidget(0, columns)), words_(new QLabel), note_(new QPlainTextEdit),
      pause_(new QTimer(this)) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(8);
    table_->setObjectName("entries");
    table_->setAccessibleName(tr("What was done"));
    table_->setHorizontalHeaderLabels({tr("When"), tr("What"), tr("Target"), tr("Figure"), tr("Ended")});
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(27);
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    table_->setMinimumHeight(80);
    note_->setMinimumHeight(60);
    all->addWidget(table_, 3);
    auto* below = new QHBoxLayout;
    below->setSpacing(8);
    auto* card = new QFrame;
    card->setObjectName("card");
    auto* inside = new QVBoxLayout(card);
    inside->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("The night"));
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::RichText);
    words_->setAlignment(Qt::AlignTop);
    words_->setMargin(12);
    words_->setObjectName("entryWords");
    scroll->setWidget(words_);
    inside->addWidget(scroll);
    below->addWidget(card, 3);
    note_->setObjectName("note");
    note_->setAccessibleName(tr("Note"));
    note_->setPlaceholderText(tr("A note of your own: the seeing, a new cable, what was tried …"));
    below->addWidget(note_, 2);
    all->addLayout(below, 2);
    pause_->setSingleShot(true);
    pause_->setInterval(1500);
    connect(pause_, &QTimer::timeout, this, &NightPage::keepNote);
    connect(note_, &QPlainTextEdit::textChanged, this, [this] { pause_->start(); });
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        tell();
        Q_EMIT entryChosen();
    });
    connect(table_, &QTableWidget::cellActivated, this, [this] { Q_EMIT openWanted(); });
    tell();
}

void NightPage::show(const std::vector<LogEntry>& entries, const CivilTime& zone, bool withDay) {
    keepNote();
    const std::string before = chosen() ? chosen()->id : std::string();
    const QSignalBlocker quiet(table_);
    entries_ = entries;
    zone_ = zone;
    table_->setRowCount(static_cast<int>(entries_.size()));
    for (size_t i = 0; i < entries_.size(); ++i) {
        const LogEntry& e = entries_[i];
        const auto put = [&](Column column, const QString& text) {
            auto* item = new QTableWidgetItem(text);
            item->setToolTip(text);
            table_->setItem(static_cast<int>(i), column, item);
        };
        QString time = qs(zone_.clock(e.started));
        if (withDay)
            time = qs(zone_.day(e.started)).section(' ', 0, 1) + " " + time;
        else if (e.length_s() > 90.0)
            time += " – " + qs(zone_.clock(*e.ended));
        put(when, time);
        put(what, qs(Text::say(entryKindWord(e.kind))) + (e.note.empty() ? QString() : tr(", note")));
        put(target, qs(e.target));
        const auto head = headFigure(e);
        put(figure, head ? qs(figureText(*head)) : QString());
        put(ended, e.ended ? qs(e.how) : tr("under way"));
    }
    choose(before);
    // Something of the night is shown at once; what a search found is chosen by the person.
    if (!chosen() && !withDay && !entries_.empty())
        table_->selectRow(static_cast<int>(entries_.size()) - 1);
    tell();
}

void NightPage::choose(const std::string& id) {
    for (size_t i = 0; i < entries_.size(); ++i)
        if (entries_[i].id == id) {
            table_->selectRow(static_cast<int>(i));
            return;
        }
    table_->clearSelection();
}

const LogEntry* NightPage::chosen() const {
    const auto rows = table_->selectionModel()->selectedRows();
    const int row = rows.isEmpty() ? -1 : rows.first().row();
    return row >= 0 && row < static_cast<int>(entries_.size()) ? &entries_[static_cast<size_t>(row)]
                                                               : nullptr;
}

void NightPage::keepNote() {
    pause_->stop();
    const QString now = note_->toPlainText();
    if (noteOf_.empty() || now == noteBefore_)
        return;
    noteBefore_ = now;
    for (LogEntry& e : entries_)
        if (e.id == noteOf_)
            e.note = now.toStdString();
    Q_EMIT noteChanged(qs(noteOf_), now);
}

void NightPage::tell() {
    const LogEntry* e = chosen();
    if (!e || e->id != noteOf_) {
        keepNote();
        const QSignalBlocker quiet(note_);
        noteOf_ = e ? e->id : std::string();
        noteBefore_ = e ? qs(e->note) : QString();
        note_->setPlainText(noteBefore_);
        note_->setEnabled(e != nullptr);
    }
    if (!e) {
        words_->setText(
            "<span style='color:" + theme().muted.name() + "'>" +
            (entries_.empty() ? tr("Nothing is kept here.") : tr("Choose one to see its figures.")) +
            "</span>");
        return;
    }
    const QString muted = "<span style='color:" + theme().muted.name() + "'>%1</span>";
    QString html = "<table cellspacing='0' cellpadding='1'>";
    for (const Figure& f : e->figures) {
        const QString title = qs(figureLook(f.name).title).toHtmlEscaped();
        html += QString("<tr><td>%1&nbsp;&nbsp;</td><td><b>%2</b></td></tr>")
                    .arg(muted.arg(title), qs(figureText(f)).toHtmlEscaped());
    }
    html += "</table>";
    for (const SettingNote& c : e->changes)
        html += "<p>" + muted.arg(qs(zone_.clock(c.when))) + " " + changeText(c).toHtmlEscaped() + "</p>";
    for (const Finding& f : e->findings)
        html += "<p><b>" + qs(f.headline).toHtmlEscaped() + "</b><br>" +
                muted.arg(qs(f.evidence).toHtmlEscaped()) + "</p>";
    html += "<p>" +
            muted.arg(tr("%1%2").arg(qs(e->rigName).toHtmlEscaped(),
                                     e->file.empty() ? QString() : " · " + qs(e->file).toHtmlEscaped())) +
            "</p>";
    words_->setText(html);
}

} // namespace nordstjerna
