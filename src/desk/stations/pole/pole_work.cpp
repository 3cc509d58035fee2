// What the Pole station does with the mount and the camera.
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QLineEdit>
#include <QPushButton>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/pole/drift_meaning.h"
#include "core/rig/scales.h"
#include "desk/pictures/drift_chart.h"
#include "desk/pictures/frame_view.h"
#include "desk/stations/pole/pole_station.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/step_bar.h"
#include "edge/store/fits.h"

#include <QComboBox>
#include <QDoubleSpinBox>

namespace nordstjerna {

template <typename P, typename S>
void PoleStation::work(Doing what, std::shared_ptr<P> procedure, std::function<S(const P&)> take,
                       std::function<void(const S&)> show,
                       std::function<void(std::shared_ptr<P>, const Expected<void>&)> done) {
    doing_ = what;
    procedures().run<P, S>(
        procedure, std::move(take),
        [this, show](const S& s) {
            if (doing_ == Doing::nothing)
                return;
            steps()->show(s.progress);
            show(s);
            refresh();
        },
        [this, done](const std::shared_ptr<P>& p, const Expected<void>& result) {
            doing_ = Doing::nothing;
            steps()->clear();
            done(p, result);
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().busy())
        doing_ = Doing::nothing;
    refresh();
}

void PoleStation::plan() {
    if (ownArc_ && !arc_.places.empty()) {
        refresh();
        return;
    }
    const auto arc = planSightings(rigs().rig(), planWishes());
    noPlan_ = arc ? std::nullopt : std::optional<Problem>(arc.error());
    arc_ = arc.value_or(PlannedArc{});
    arcWarning_.clear();
    measuring_ = {};
    refresh();
    Q_EMIT changed();
}

void PoleStation::drawArc(Angle first, Angle last, Angle dec) {
    const auto arc = arcBetween(rigs().rig(), planWishes(), first, last, dec);
    ownArc_ = true;
    measuring_ = {};
    if (arc) {
        arc_ = *arc;
        arcWarning_.clear();
    } else {
        arcWarning_ = qs(arc.error().briefly());
    }
    refresh();
}

void PoleStation::accept(const PoleResult& result) {
    needs_.mountBook.setPole(result);
    book_.measured(result.fit, result.when);
    live_.state = PoleAdjustment::State::starting;
    live_.trouble.reset();
    reference0_.reset();
}

void PoleStation::measure(bool repeatFailed) {
    PoleMeasurementSetup setup;
    setup.rig = rigs().rig();
    setup.arc = arc_;
    setup.exposure_s = exposure_->value();
    setup.settle_s = settle_->value();
    if (repeatFailed)
        setup.kept = measuring_.taken;
    leftOut_.clear();
    phases_->setCurrent(planning);
    work<PoleMeasurement, Measuring>(
        Doing::measuring, std::make_shared<PoleMeasurement>(setup),
        [](const PoleMeasurement& p) {
            return Measuring{p.progress(), p.taken(), p.failures()};
        },
        [this](const Measuring& m) { measuring_ = m; },
        [this](const std::shared_ptr<PoleMeasurement>& p, const Expected<void>& done) {
            measuring_ = {{}, p->taken(), p->failures()};
            if (!done || !p->result())
                return;
            accept(*p->result());
            countFrom(*p->result());
        });
}

void PoleStation::countFrom(const PoleResult& result) {
    PoleAdjustmentSetup from;
    from.rig = rigs().rig();
    from.axis = result.fit;
    for (const Sighting& s : result.sightings)
        if (!from.sighting || s.when > from.sighting->when)
            from.sighting = s;
    reference0_ = from;
    leftAt_ = ObservedFrame(from.rig.site, night().now()).icrsFrom(needs_.mountDesk.state().pointing);
    phases_->setCurrent(adjusting);
}

void PoleStation::measureByHand() {
    PoleByHandSetup setup;
    setup.rig = rigs().rig();
    setup.exposure_s = exposure_->value();
    setup.sightings = std::max(2, static_cast<int>(count_->value()));
    setup.reference = reference();
    setup.wanted_arcmin = std::max(0.1, 0.25 * wanted());
    leftOut_.clear();
    measuring_ = {};
    byHand_ = {};
    phases_->setCurrent(planning);
    work<PoleByHand, ByHand>(
        Doing::byHand, std::make_shared<PoleByHand>(setup),
        [](const PoleByHand& p) {
            return ByHand{p.progress(),      p.taken(),    p.result(),        p.ask(),
                          p.sinceLast_deg(), p.span_deg(), p.setup().step_deg};
        },
        [this](const ByHand& b) { byHand_ = b; },
        [this](const std::shared_ptr<PoleByHand>& p, const Expected<void>& done) {
            if (!done || !p->result())
                return;
            accept(*p->result());
            countFrom(*p->result());
        });
}

void PoleStation::adjust(bool elsewhere) {
    const auto now = book_.present();
    if (!now)
        return;
    PoleAdjustmentSetup setup;
    setup.rig = rigs().rig();
    setup.axis = now->fit;
    setup.settle_s = settle_->value();
    setup.learnt = live_.moves;
    const Vec3 here =
        ObservedFrame(setup.rig.site, night().now()).icrsFrom(needs_.mountDesk.state().pointing);
    if (elsewhere) {
        const auto place = bestLeverPlace(setup.rig);
        if (!place) {
            problems().report(place.error());
            return;
        }
        setup.place = *place;
    } else if (reference0_ && leftAt_ && separation(here, *leftAt_).deg() < 0.3 &&
               reference0_->rig.solveWithImaging == setup.rig.solveWithImaging) {
        // The telescope still stands where the last sighting was taken: count on from there.
        setup.axis = reference0_->axis;
        setup.sighting = reference0_->sighting;
    }
    phases_->setCurrent(adjusting);
    work<PoleAdjustment, Live>(
        Doing::adjusting, std::make_shared<PoleAdjustment>(setup),
        [](const PoleAdjustment& p) {
            return Live{p.state(), p.trouble(), p.path(), p.moves(), p.sight(), p.progress()};
        },
        [this](const Live& live) { showLive(live); },
        [this, elsewhere](const std::shared_ptr<PoleAdjustment>&, const Expected<void>& done) {
            if (elsewhere)
                leftAt_.reset(); // the reference there ends with this run
            const auto then = std::exchange(then_, {});
            if (then && done)
                // Only once the host has let go of this run.
                QMetaObject::invokeMethod(this, then, Qt::QueuedConnection);
        });
}

void PoleStation::showLive(const Live& live) {
    live_ = live;
    std::vector<AxisPoint> points;
    for (const auto& p : live.path)
        points.push_back({p.levers.axis, false, p.when});
    if (!points.empty())
        book_.follow(points);
    Q_EMIT changed();
}

void PoleStation::nameTurn() {
    const auto turns = parseTurns(turned_->text().toStdString());
    if (!turns) {
        problems().report({Text::say("\"%1\" is no number of turns.").arg(turned_->text().toStdString()), "",
                           Text::say("Type something like half a turn, 1/3 or 0.25.")});
        return;
    }
    if (live_.moves.moves().empty()) {
        problems().report({Text::say("No turn of a lever was seen yet."),
                           Text::say("No lever has moved since adjusting began."),
                           Text::say("Turn a lever, wait for two frames, then say how far it was.")});
        return;
    }
    problems().clear();
    procedures().tell([t = *turns](Procedure& p) {
        if (auto* adjustment = dynamic_cast<PoleAdjustment*>(&p))
            adjustment->nameLastMove(t);
    });
    live_.moves.nameLast(*turns);
    turned_->clear();
    refresh();
}

// What a check of one component told, into the night log.
void PoleStation::logComponent(const DriftComponent& c, const std::string& how) {
    LogEntry entry = night().newEntry(EntryKind::pole);
    entry.target.clear();
    entry.how = how;
    entry.figures = {{"pole_component_arcmin", {std::abs(c.amount_arcmin.value), c.amount_arcmin.sigma}}};
    entry.findings = {{"pole.component", Weight::know, componentText(c), "", ""}};
    needs_.logbook.add(std::move(entry));
}

void PoleStation::watchDrift(DriftPlace where) {
    const auto place = driftPlace(rigs().rig(), where);
    if (!place) {
        problems().report(place.error());
        return;
    }
    DriftRefereeSetup setup;
    setup.rig = rigs().rig();
    setup.place = *place;
    setup.reference = reference();
    setup.wanted_arcmin = std::clamp(0.2 * wanted(), 0.25, 1.0);
    struct Watching {
        Progress progress;
        std::vector<DriftSample> samples;
        std::optional<DriftWatch> watch;
    };
    phases_->setCurrent(proving);
    proof_->setCurrentWidget(drift_);
    work<DriftReferee, Watching>(
        Doing::watching, std::make_shared<DriftReferee>(setup),
        [](const DriftReferee& p) {
            return Watching{p.progress(), p.samples(), p.watch()};
        },
        [this](const Watching& w) { drift_->show(w.samples, w.watch); },
        [this](const std::shared_ptr<DriftReferee>& p, const Expected<void>&) {
            drift_->show(p->samples(), p->watch());
            if (p->watch() && p->watch()->length_s >= 60.0) {
                book_.watched(*p->watch());
                if (p->component())
                    logComponent(*p->component(), Text::say("watched the drift for %1")
                                                      .arg(formatDuration(p->watch()->length_s))
                                                      .english());
            }
        });
}

void PoleStation::checkTrail() {
    const auto place = driftPlace(rigs().rig(), DriftPlace::meridian);
    if (!place) {
        problems().report(place.error());
        return;
    }
    TrailCheckSetup setup;
    setup.rig = rigs().rig();
    setup.place = *place;
    setup.half_s = 90.0;
    setup.reference = reference();
    struct Trailing {
        Progress progress;
    };
    phases_->setCurrent(proving);
    proof_->setCurrentWidget(trail_);
    work<TrailChecking, Trailing>(
        Doing::trailing, std::make_shared<TrailChecking>(setup),
        [](const TrailChecking& p) { return Trailing{p.progress()}; }, [](const Trailing&) {},
        [this](const std::shared_ptr<TrailChecking>& p, const Expected<void>&) {
            trail_->show(p->frame());
            trailResult_ = p->result();
            if (!p->result())
                return;
            book_.trailed(p->result()->watch);
            logComponent(p->result()->component, "trail check");
            const auto r = *p->result();
            trail_->setMarks([r](QPainter& painter, const FrameView::ToScreen&, double) {
                painter.setPen(theme().accent);
                painter.setFont(textFont(14, true));
                const QString text =
                    QObject::tr("the V opens by %1 px over %2 trails; %3 error %4")
                        .arg(qs(formatMeasured(r.measure.opening_px, "", 2)))
                        .arg(r.measure.trails)
                        .arg(r.component.east > 0.7 ? QObject::tr("east") : QObject::tr("high"),
                             qs(formatMeasured(r.component.amount_arcmin, "′", 1)));
                painter.drawText(painter.clipBoundingRect().adjusted(12, 10, -12, -10),
                                 Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, text);
            });
        });
}

void PoleStation::useFrames(const QStringList& files) {
    QStringList all;
    for (const QString& f : files) {
        if (!QFileInfo(f).isDir()) {
            all << f;
            continue;
        }
        const QDir folder(f);
        for (const QString& name :
             folder.entryList({"*.fits", "*.fit", "*.fts", "*.fz"}, QDir::Files, QDir::Name))
            all << folder.filePath(name);
    }
    if (all.size() < 2) {
        problems().report({Text::say("At least two frames are needed."),
                           Text::say("One sighting does not show an axis."),
                           Text::say("Choose frames between which the mount was turned in RA.")});
        return;
    }
    FramesSetup setup;
    setup.site = rigs().rig().site;
    setup.reference = reference();
    setup.scale_arcsec_px = scalesOf(rigs().rig()).guide_arcsec_px;
    std::vector<std::filesystem::path> paths;
    for (const QString& f : all) {
        paths.emplace_back(f.toStdString());
        setup.names.push_back(QFileInfo(f).fileName().toStdString());
    }
    // Site and time stand in the headers; what the first frame does not tell is asked for.
    if (const auto first = readFits(paths.front())) {
        if (first->info.site) {
            const Site& there = *first->info.site;
            setup.site.latitude = there.latitude;
            setup.site.longitude = there.longitude;
            setup.site.height_m = there.height_m;
        }
        if (!first->info.start) {
            bool ok = false;
            const QString text = QInputDialog::getText(
                this, tr("When were they taken?"),
                tr("%1 does not say when its exposure began. Start of the first exposure, UTC "
                   "(2026-10-14T19:05:12); the others are taken to follow by file times.")
                    .arg(qs(setup.names.front())),
                QLineEdit::Normal, qs(formatInstant(night().now(), 0)), &ok);
            const auto start = parseInstant(text.toStdString());
            if (!ok || !start) {
                problems().report({Text::say("The time of the frames is not known."),
                                   Text::say("Their headers have no DATE-OBS."),
                                   Text::say("Type the start of the first exposure in UTC.")});
                return;
            }
            const auto base = QFileInfo(all.front()).lastModified();
            std::vector<Instant> starts;
            for (const QString& f : all)
                starts.push_back(*start +
                                 static_cast<double>(base.msecsTo(QFileInfo(f).lastModified())) / 1000.0);
            setup.load = [paths, starts](size_t i) -> Expected<std::shared_ptr<const Frame>> {
                auto frame = readFits(paths[i]);
                if (!frame)
                    return tl::unexpected(frame.error());
                if (!frame->info.start)
                    frame->info.start = starts[i];
                return std::make_shared<const Frame>(std::move(*frame));
            };
        }
    }
    if (!setup.load)
        setup.load = [paths](size_t i) { return readSharedFits(paths[i]); };
    struct Reading {
        Progress progress;
    };
    phases_->setCurrent(planning);
    work<PoleFromFrames, Reading>(
        Doing::reading, std::make_shared<PoleFromFrames>(setup),
        [](const PoleFromFrames& p) { return Reading{p.progress()}; }, [](const Reading&) {},
        [this](const std::shared_ptr<PoleFromFrames>& p, const Expected<void>&) {
            leftOut_ = p->leftOut();
            if (!p->result())
                return;
            accept(*p->result());
            leftAt_.reset();
            phases_->setCurrent(adjusting);
        });
}

void PoleStation::primaryClicked() {
    if (doing_ == Doing::adjusting) {
        then_ = [this] { measure(false); };
        procedures().stop();
        return;
    }
    if (doing_ != Doing::nothing) {
        procedures().stop();
        return;
    }
    switch (phases_->current()) {
    case rough:
        phases_->setCurrent(planning);
        refresh();
        break;
    case planning:
        measure(false);
        break;
    case adjusting:
        if (book_.present()) {
            adjust(false);
        } else {
            phases_->setCurrent(planning);
            refresh();
        }
        break;
    case proving:
        watchDrift(book_.drifts().empty() ? DriftPlace::meridian : DriftPlace::eastOrWest);
        break;
    }
}

bool PoleStation::perform(const Action& action) {
    const bool atIt = doing_ == Doing::adjusting;
    const bool free = procedures().free();
    switch (action.id) {
    case ActionId::poleStop:
        procedures().stop();
        return true;
    case ActionId::poleMeasure:
        if (atIt)
            primaryClicked();
        else if (free && !noPlan_)
            measure(false);
        return true;
    case ActionId::poleElsewhere:
        if (atIt) {
            then_ = [this] { adjust(true); };
            procedures().stop();
        } else if (free) {
            adjust(true);
        }
        return true;
    case ActionId::poleRepeat:
        if (free)
            measure(true);
        return true;
    case ActionId::poleByHand:
        if (free)
            measureByHand();
        return true;
    case ActionId::poleAdjust:
        if (free)
            adjust(false);
        return true;
    case ActionId::poleTrail:
        if (free)
            checkTrail();
        return true;
    case ActionId::poleFrames:
        if (free)
            askForFrames();
        return true;
    default:
        return false;
    }
}

void PoleStation::askForFrames() {
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Frames of a night"), {},
                                                            tr("FITS frames (*.fits *.fit *.fts *.fz)"));
    if (!files.isEmpty())
        useFrames(files);
}

} // namespace nordstjerna
