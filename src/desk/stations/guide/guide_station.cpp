#include "desk/stations/guide/guide_station.h"

#include <QComboBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/findings/guide_findings.h"
#include "core/rates/reuse.h"
#include "core/rig/scales.h"
#include "desk/pictures/lane_chart.h"
#include "desk/pictures/spot.h"
#include "desk/pictures/star_strip.h"
#include "desk/text.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/run_table.h"

namespace nordstjerna {

namespace {
constexpr double rmsWindow_s = 300.0;
}

GuideStation::GuideStation(Session& session, QWidget* parent)
    : Station(session, tr("Guide"), "crosshair", parent), lanes_(new LaneChart), spot_(new Spot),
      strip_(new StarStrip), total_(new ReadOut(tr("Total RMS"))), axes_(new ReadOut(tr("RA / Dec"))),
      stars_(new ReadOut(tr("Guide stars"))), target_(new QPushButton),
      drawerButton_(new QPushButton(tr("Controllers…"))), drawer_(new QFrame), decMode_(new QComboBox) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    row->addWidget(lanes_, 1);
    auto* side = new QVBoxLayout;
    side->setSpacing(8);
    spot_->setFixedWidth(202);
    strip_->setFixedWidth(202);
    side->addWidget(spot_, 1);
    side->addWidget(strip_, 1);
    row->addLayout(side);
    bench()->addLayout(row, 1);

    drawer_->setObjectName("card");
    auto* grid = new QGridLayout(drawer_);
    grid->setContentsMargins(14, 8, 14, 8);
    grid->setHorizontalSpacing(10);
    const QString heads[] = {tr("loop gain"), tr("deadband"), tr("smoothing"), tr("pulse limit"),
                             tr("corrections")};
    for (int i = 0; i < 5; ++i) {
        auto* head = new QLabel(heads[i]);
        head->setObjectName("muted");
        head->setFont(textFont(11));
        grid->addWidget(head, 0, i + 1);
    }
    const ControllerSettings defaults;
    const auto axis = [&](int line, const QString& name, AxisFields& f, const AxisSettings& a) {
        auto* label = new QLabel(name);
        label->setFont(textFont(13, true));
        grid->addWidget(label, line, 0);
        f.gain = numberField(0.0, 1.5, 2, "");
        f.deadband = numberField(0.0, 5.0, 2, "″");
        f.smoothing = numberField(0.0, 0.95, 2, "");
        f.limit = numberField(20, 20000, 0, tr("ms"));
        f.gain->setValue(a.loopGain);
        f.deadband->setValue(a.deadband_arcsec);
        f.smoothing->setValue(a.smoothing);
        f.limit->setValue(this->session().rig().guiding.pulseLimit_ms);
        f.gain->setToolTip(tr("Share of the error corrected at once. Default 0.65: quick without swinging."));
        f.deadband->setToolTip(
            tr("Smaller errors are left alone. Default 0.25″: about the noise of ordinary seeing."));
        f.smoothing->setToolTip(
            tr("Share of the former error kept. Default 0.1: takes the edge off single gusts."));
        f.limit->setToolTip(tr("Longest pulse. From the rig; shorter than the exposure, or it is still "
                               "running when the next is computed."));
        int column = 1;
        for (QDoubleSpinBox* b : {f.gain, f.deadband, f.smoothing, f.limit}) {
            grid->addWidget(b, line, column++);
            connect(b, &QDoubleSpinBox::valueChanged, this, &GuideStation::onSettingsEdited);
        }
    };
    axis(1, tr("RA"), raFields_, defaults.ra);
    axis(2, tr("Dec"), decFields_, defaults.dec);
    grid->addWidget(new QLabel(tr("both ways")), 1, 5);
    decMode_->addItems({tr("both ways"), tr("north only"), tr("south only"), tr("off")});
    decMode_->setToolTip(tr("One-sided Dec avoids a large backlash: correct only against the drift."));
    connect(decMode_, &QComboBox::currentIndexChanged, this, &GuideStation::onSettingsEdited);
    grid->addWidget(decMode_, 2, 5);
    raFields_.gain->setObjectName("gainRa");
    bench()->addWidget(drawer_);
    drawer_->hide();

    for (ReadOut* r : {total_, axes_, stars_})
        figures()->addWidget(r);
    buttons()->addWidget(target_);
    buttons()->addWidget(drawerButton_);
    connect(target_, &QPushButton::clicked, this, &GuideStation::pointAtTarget);
    connect(drawerButton_, &QPushButton::clicked, this,
            [this] { drawer_->setVisible(!drawer_->isVisible()); });
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (guiding_ || slewing())
            this->session().stop();
        else
            start();
    });
    connect(&session, &Session::targetChanged, this, &GuideStation::refresh);
    connect(&session, &Session::busyChanged, this, &GuideStation::refresh);
    connect(&session, &Session::resultsChanged, this, &GuideStation::refresh);
    connect(&session, &Session::rigChanged, this, [this] {
        for (QDoubleSpinBox* b : {raFields_.limit, decFields_.limit})
            b->setValue(this->session().rig().guiding.pulseLimit_ms);
    });
    refresh();
}

ControllerSettings GuideStation::settings() const {
    ControllerSettings s;
    const auto read = [](const AxisFields& f) {
        return AxisSettings{f.gain->value(), f.deadband->value(), f.smoothing->value(), f.limit->value()};
    };
    s.ra = read(raFields_);
    s.dec = read(decFields_);
    static constexpr DecMode modes[] = {DecMode::both, DecMode::northOnly, DecMode::southOnly, DecMode::off};
    s.decMode = modes[std::max(0, decMode_->currentIndex())];
    return s;
}

void GuideStation::onSettingsEdited() {
    if (!guiding_)
        return;
    session().tell([s = settings()](Procedure& p) {
        if (auto* guiding = dynamic_cast<Guiding*>(&p))
            guiding->setController(s);
    });
}

void GuideStation::pointAtTarget() {
    slewTo(session().targetPlace(), tr("Slewing to %1").arg(qs(session().targetName())),
           [this] { refresh(); });
}

void GuideStation::start() {
    GuidingSetup setup;
    setup.rig = session().rig();
    setup.rates = *session().rates();
    // On the other side of the pier the picture stands on its head.
    const std::string side = session().mountState().side;
    if (!setup.rates.setup.side.empty() && !side.empty() && setup.rates.setup.side != side)
        setup.rates = ratesAcrossPier(setup.rates, false);
    setup.wantedStars = session().handStars();
    setup.controller = settings();
    setup.exposure_s = session().rig().guiding.exposure_s;
    auto procedure = std::make_shared<Guiding>(setup);
    guiding_ = true;
    run_ = {};
    summary_.reset();
    lanes_->clear();
    // The table grows in the worker, row by row, whatever the window does.
    struct Writing {
        std::filesystem::path path;
        std::optional<RunWriter> writer;
        size_t written = 0;
        bool failed = false;
    };
    auto writing = std::make_shared<Writing>();
    writing->path = session().newRunPath("guided");
    runFile_ = qs(writing->path.string());
    session().run<Guiding, Snapshot>(
        procedure,
        [](const Guiding& g) {
            return Snapshot{g.progress(), g.run(), g.stars().members(), g.frame(), g.settled(), g.lost()};
        },
        [this](const Snapshot& s) { show(s); },
        [this](const std::shared_ptr<Guiding>&, const Expected<void>&) {
            guiding_ = false;
            steps()->clear();
            refresh();
            Q_EMIT changed();
        },
        [this, writing](Guiding& g) {
            const Run& run = g.run();
            if (run.rows.empty() || writing->failed)
                return;
            const auto failed = [&](const Problem& p) {
                writing->failed = true; // guiding goes on; the person is told once
                QMetaObject::invokeMethod(
                    this, [this, p] { session().reportProblem(p); }, Qt::QueuedConnection);
            };
            if (!writing->writer) {
                auto made = RunWriter::create(writing->path, run.meta);
                if (!made)
                    return failed(made.error());
                writing->writer.emplace(std::move(*made));
            }
            for (; writing->written < run.rows.size(); ++writing->written)
                if (const auto done = writing->writer->append(run.rows[writing->written]); !done)
                    return failed(done.error());
        });
    if (!session().busy())
        guiding_ = false;
    refresh();
}

void GuideStation::show(const Snapshot& s) {
    steps()->show(s.progress);
    run_ = s.run;
    lost_ = s.lost;
    settled_ = s.settled;
    const ControllerSettings c = settings();
    lanes_->show(run_, c.ra.deadband_arcsec, c.dec.deadband_arcsec);
    spot_->show(run_.rows,
                session().rig().imagingOptics.focal_mm > 0 ? scalesOf(session().rig()).image_arcsec_px : 1.0);
    strip_->show(s.frame, s.stars);
    const auto summary = summarise(run_);
    summary_ = summary ? std::optional<RunSummary>(*summary) : std::nullopt;
    refresh();
    Q_EMIT changed();
}

void GuideStation::refresh() {
    const auto& rates = session().rates();
    const bool usable = rates && rates->verdict != RatesVerdict::bad && !session().ratesAged();
    target_->setText(tr("Slew to %1").arg(qs(session().targetName())));
    target_->setVisible(!guiding_ && !slewing());
    target_->setEnabled(!session().busy());
    const double elapsed = run_.rows.empty() ? 0.0 : run_.rows.back().t_s;
    if (slewing()) {
        say("", tr("Slewing to the target."));
        setPrimary(tr("Stop"));
    } else if (guiding_) {
        say(run_.rows.empty() ? tr("starting") : tr("running %1").arg(qs(formatDuration(elapsed))),
            lost_      ? tr("The guide star is lost; no corrections until it is found again.")
            : settled_ ? tr("Steady. The run is being recorded.")
                       : tr("Settling; the figures count once the error stays small."));
        setPrimary(tr("Stop guiding"));
    } else if (!rates) {
        say("", tr("Guiding needs rates. Measure them first."));
        setPrimary(tr("Guide"), false);
    } else if (!usable) {
        say("", session().ratesAged() ? tr("The rates are out of date. Measure them again before guiding.")
                                      : tr("The rates are bad and are not used. Measure them again."));
        setPrimary(tr("Guide"), false);
    } else {
        say(run_.rows.empty() ? "" : tr("stopped after %1").arg(qs(formatDuration(elapsed))),
            run_.rows.empty() ? tr("Ready. Slew to the target, then guide.")
                              : tr("Saved as %1").arg(runFile_.section('/', -1)));
        setPrimary(tr("Guide"), !session().busy());
    }
    const double image = scalesOf(session().rig()).image_arcsec_px;
    const auto live = liveRms(run_.rows, rmsWindow_s);
    if (!live) {
        total_->showNothing(tr("want < %1″, an imaging pixel").arg(qs(formatNumber(image, 2))));
        axes_->showNothing(tr("round is 1 to 1"));
        lanes_->setTitles("RA", "Dec");
    } else {
        const double span = std::min(rmsWindow_s, elapsed);
        total_->show(qs(formatNumber(live->total_arcsec, 2)) + "″",
                     tr("± %1″").arg(qs(formatNumber(live->sigma_arcsec, 2))),
                     tr("%1 imaging px (want < 1), last %2")
                         .arg(qs(formatNumber(live->total_arcsec / image, 2)), qs(formatDuration(span))));
        const double worse = std::max(live->ra_arcsec, live->dec_arcsec);
        const double better = std::max(1e-3, std::min(live->ra_arcsec, live->dec_arcsec));
        axes_->show(
            tr("%1 / %2″").arg(qs(formatNumber(live->ra_arcsec, 2)), qs(formatNumber(live->dec_arcsec, 2))),
            "", tr("round: %1 to 1").arg(qs(formatNumber(worse / better, 2))));
        lanes_->setTitles(tr("RA %1″").arg(qs(formatNumber(live->ra_arcsec, 2))),
                          tr("Dec %1″").arg(qs(formatNumber(live->dec_arcsec, 2))));
    }
    const auto last =
        std::find_if(run_.rows.rbegin(), run_.rows.rend(), [](const RunRow& r) { return r.measured(); });
    if (last == run_.rows.rend())
        stars_->showNothing(tr("chosen by centroid noise"));
    else
        stars_->show(QString::number(last->stars), last->stars == 1 ? tr("star") : tr("stars"),
                     tr("best SNR %1 · HFD %2 px")
                         .arg(qs(formatNumber(last->snr, 0)), qs(formatNumber(last->hfd_px, 1))));
}

QString GuideStation::summary() const {
    if (const auto live = liveRms(run_.rows, rmsWindow_s))
        return qs(formatNumber(live->total_arcsec, 2)) + "″";
    return guiding_ ? tr("settling") : tr("not started");
}

StationState GuideStation::state() const {
    const auto live = liveRms(run_.rows, rmsWindow_s);
    if (lost_ && guiding_)
        return StationState::attention;
    if (!live)
        return StationState::open;
    return live->total_arcsec <= scalesOf(session().rig()).image_arcsec_px ? StationState::good
                                                                           : StationState::attention;
}

std::vector<Finding> GuideStation::findings() const {
    std::vector<Finding> list;
    if (!session().rates())
        list.push_back({"rates-needed", Weight::look, tr("No rates yet").toStdString(),
                        tr("Pulses cannot be computed without them.").toStdString(),
                        tr("Measure the guide rates.").toStdString(), "go.rates",
                        tr("Go to Rates").toStdString()});
    if (summary_ && summary_->rowsUsed >= 30) {
        const auto more = guideFindings(run_, *summary_);
        list.insert(list.end(), more.begin(), more.end());
    }
    return list;
}

bool GuideStation::perform(const QString& action) {
    if (action == "guide.toggle") {
        if (primary()->isEnabled())
            primary()->click();
        return true;
    }
    return false;
}

QString GuideStation::help() const {
    return tr(
        "<p><b>What.</b> Every frame the guide stars are measured, and small pulses bring them back.</p>"
        "<p><b>Why.</b> To cancel the mount's faults without chasing the air.</p>"
        "<p><b>How.</b> Slew to the target and press Guide. RA is the upper lane, Dec the lower; bars at the "
        "lower edge "
        "are the corrections, the shaded band is left alone.</p>"
        "<p><b>Good.</b> Total RMS below one imaging pixel; below 0.7″ is good for a mid-range mount (common "
        "practice). RA and Dec alike, or stars turn oval.</p>");
}

} // namespace nordstjerna
