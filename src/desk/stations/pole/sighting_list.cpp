#include "desk/stations/pole/sighting_list.h"

#include <QHBoxLayout>
#include <QImage>
#include <QLabel>
#include <QPixmap>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/image/bin_frame.h"
#include "desk/pictures/frame_image.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int mostRows = 7;
constexpr QSize thumbnail(80, 50);

QPixmap thumbnailOf(const Frame& frame) {
    const Frame small = binFrame(frame, std::max(1, frame.width / (2 * thumbnail.width())));
    const QImage image = frameImage(small, 20.0, 99.5);
    return QPixmap::fromImage(image.scaled(thumbnail, Qt::KeepAspectRatio, Qt::SmoothTransformation));
}
} // namespace

SightingList::SightingList(QWidget* parent) : QFrame(parent) {
    setObjectName("card");
    setFixedWidth(244);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(10);
    for (int i = 0; i < mostRows; ++i) {
        Row r{new QWidget, new QLabel, new QLabel, new QLabel, nullptr};
        auto* line = new QHBoxLayout(r.widget);
        line->setContentsMargins(0, 0, 0, 0);
        line->setSpacing(10);
        r.picture->setFixedSize(thumbnail);
        r.picture->setAlignment(Qt::AlignCenter);
        r.picture->setObjectName("raised");
        line->addWidget(r.picture, 0, Qt::AlignTop);
        auto* words = new QVBoxLayout;
        words->setSpacing(1);
        r.head->setFont(textFont(13, true));
        r.detail->setFont(textFont(12));
        r.detail->setObjectName("muted");
        r.detail->setWordWrap(true);
        words->addWidget(r.head);
        words->addWidget(r.detail);
        words->addStretch();
        line->addLayout(words, 1);
        r.widget->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
        column->addWidget(r.widget);
        rows_.push_back(r);
    }
    column->addStretch();
}

void SightingList::show(const std::vector<SightingShown>& sightings) {
    for (size_t i = 0; i < rows_.size(); ++i) {
        Row& r = rows_[i];
        r.widget->setVisible(i < sightings.size());
        if (i >= sightings.size())
            continue;
        const SightingShown& s = sightings[i];
        r.head->setText(tr("Sighting %1").arg(i + 1));
        if (s.frame) {
            r.detail->setText(
                tr("%1 stars matched\n± %2″").arg(s.matched).arg(qs(formatNumber(s.sigma_arcsec, 1))));
        } else if (s.failure) {
            r.detail->setText(
                tr("▲ failed: %1").arg(qs(s.failure->why.empty() ? s.failure->what : s.failure->why)));
            r.detail->setToolTip(qs(s.failure->said()));
        } else {
            r.detail->setText(s.place);
        }
        if (s.frame != r.frame || !s.frame) {
            r.frame = s.frame;
            r.picture->setPixmap(s.frame ? thumbnailOf(*s.frame) : QPixmap());
            r.picture->setText(s.frame ? QString() : QString::number(i + 1));
        }
    }
}

} // namespace nordstjerna
