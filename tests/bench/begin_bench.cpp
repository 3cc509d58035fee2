#include "begin_bench.h"

#include <QFile>
#include <QImage>
#include <cmath>
#include <cstdio>

#include "bench_clock.h"
#include "core/base/random.h"
#include "core/focus/focus_look.h"
#include "core/image/frame_look.h"
#include "desk/pictures/framing_map.h"

namespace nordstjerna {

namespace {
void turnTheMap() {
    QFile file(SOURCE_DIR "/resources/catalogues/objects.tsv");
    const QByteArray table = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    const auto catalogue = ObjectCatalogue::parse({table.constData(), static_cast<size_t>(table.size())});
    const auto index = StarIndex::loadDefault();
    if (!catalogue || !index) {
        std::printf("no catalogue, no map\n");
        return;
    }
    FramingMap map;
    map.resize(900, 700);
    FramingMap::Sky shown;
    shown.centre = vectorFrom(Equatorial{Angle::fromDeg(35.64), Angle::fromDeg(42.35)});
    shown.span_deg = 6.0;
    shown.stars = (*index)->starsNear(shown.centre, Angle::fromDeg(6.0));
    std::erase_if(shown.stars, [](const CatalogueStar& s) { return s.magnitude > 11.0; });
    shown.objects = catalogue->around(shown.centre, Angle::fromDeg(6.0), 15.5);
    const Footprint frame{shown.centre, 58.0, false, 2.0, 1.4};
    const size_t stars = shown.stars.size();
    map.showSky(std::move(shown));
    const double first = seconds([&] { (void)map.grab(); });
    constexpr int turns = 60;
    double worst = 0.0;
    double all = 0.0;
    for (int i = 0; i < turns; ++i) {
        Footprint turned = frame;
        turned.angle_deg = 6.0 * i;
        map.showFrames({turned, turned, frame});
        const double each = seconds([&] { (void)map.grab(); });
        worst = std::max(worst, each);
        all += each;
    }
    std::printf("framing map, %zu stars: first %.1f ms, turned %.2f ms, at worst %.2f ms (wanted 16 ms)\n",
                stars, 1e3 * first, 1e3 * all / turns, 1e3 * worst);
}

void measureFocus() {
    Random random(3);
    Frame frame(5000, 3400);
    for (float& v : frame.pixels)
        v = static_cast<float>(500.0 + 8.0 * random.gaussian());
    for (int i = 0; i < 300; ++i) {
        const double x = random.uniform(60, 4940);
        const double y = random.uniform(60, 3340);
        for (int dy = -12; dy <= 12; ++dy)
            for (int dx = -12; dx <= 12; ++dx)
                frame.at(static_cast<int>(x) + dx, static_cast<int>(y) + dy) +=
                    static_cast<float>(6000.0 * std::exp(-0.5 * (dx * dx + dy * dy) / 4.0));
    }
    double detect = 0.0;
    double look = 0.0;
    constexpr int rounds = 3;
    for (int i = 0; i < rounds; ++i) {
        detect += seconds([&] { (void)detectStars(frame); }) / rounds;
        look += seconds([&] { (void)lookForFocus(frame); }) / rounds;
    }
    const double shapes = seconds([&] { (void)lookAt(frame, *detectStars(frame)); });
    std::printf("17 Mpx frame of a series, stars and shapes: %.0f ms (wanted 500 ms)\n", 1e3 * shapes);
    std::printf("17 Mpx focus frame: %.0f ms, %.2f times one search for its stars\n", 1e3 * look,
                look / detect);
}
} // namespace

void benchBegin() {
    turnTheMap();
    measureFocus();
}

} // namespace nordstjerna
