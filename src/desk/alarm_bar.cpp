#include "desk/alarm_bar.h"

#include <QHBoxLayout>
#include <QPushButton>

#include "charts/text.h"
#include "desk/alarm.h"
#include "desk/theme.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

AlarmBar::AlarmBar(Alarm& alarm, QWidget* parent)
    : QFrame(parent), alarm_(alarm), words_(new WrapLabel), heard_(new QPushButton(tr("Stop ringing"))) {
    setObjectName("alarmBar");
    words_->setObjectName("alarmWords");
    words_->setFont(textFont(14, true));
    heard_->setObjectName("heard");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(16, 8, 16, 8);
    row->addWidget(words_, 1);
    row->addWidget(heard_);
    connect(heard_, &QPushButton::clicked, &alarm_, &Alarm::heard);
    connect(&alarm_, &Alarm::changed, this, &AlarmBar::refresh);
    refresh();
}

void AlarmBar::refresh() {
    setVisible(alarm_.calling().has_value());
    heard_->setVisible(alarm_.ringing());
    if (!alarm_.calling())
        return;
    const Problem& p = *alarm_.calling();
    words_->setText("▲ " + qs(p.what) + (p.remedy.empty() ? QString() : " " + qs(p.remedy)));
    words_->setAccessibleName(tr("Alarm: %1").arg(words_->text()));
}

} // namespace nordstjerna
