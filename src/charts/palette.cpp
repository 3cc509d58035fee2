#include "charts/palette.h"

#include <QFontDatabase>

// Resources of a static library are linked in by name; the macro must stand outside every namespace.
static void useTypefaces() {
    Q_INIT_RESOURCE(charts);
}

namespace nordstjerna {

namespace {

const Theme themes[] = {
    {"Dusk",
     "#0f1a1c",
     "#16262a",
     "#1d3136",
     "#2b474d",
     "#dce7e4",
     "#8fa9a6",
     "#e0a458",
     "#14201f",
     "#e8a13a",
     "#62d2b0",
     "#62d2b0",
     "#e86f51",
     {"#4b6166", "#364b50", "#25393e", "#1a2c31"}},
    {"Day",
     "#f1efe8",
     "#faf9f5",
     "#ffffff",
     "#cfcabd",
     "#1f2a2b",
     "#5b6767",
     "#a8641a",
     "#ffffff",
     "#b96d00",
     "#0e7d5e",
     "#0e7d5e",
     "#c23b1c",
     {"#eef3f4", "#dbe5e8", "#c9d7db", "#bacbd0"}},
    {"Ember",
     "#000000",
     "#120404",
     "#1d0707",
     "#4f1712",
     "#ff6a56",
     "#b8443a",
     "#ff5340",
     "#100202",
     "#ff7a64",
     "#b03a30",
     "#ff7a64",
     "#ff9a86",
     {"#4a1510", "#35100c", "#240a08", "#170605"}},
};
int current = 0;

} // namespace

const Theme& theme() {
    return themes[current];
}

bool setTheme(const QString& name) {
    for (int i = 0; i < int(std::size(themes)); ++i)
        if (themes[i].name.compare(name, Qt::CaseInsensitive) == 0) {
            current = i;
            return true;
        }
    return false;
}

QStringList themeNames() {
    QStringList names;
    for (const Theme& t : themes)
        names << t.name;
    return names;
}

void loadTypefaces() {
    static const bool done = [] {
        useTypefaces();
        for (const char* file : {":/fonts/NordstjernaText-Regular.otf", ":/fonts/NordstjernaText-Bold.otf"})
            QFontDatabase::addApplicationFont(file);
        return true;
    }();
    Q_UNUSED(done);
}

QFont textFont(double px, bool bold) {
    QFont f("Nordstjerna Text"); // B612 under a name of its own, see resources/fonts/rename.py
    f.setPixelSize(qRound(px));
    f.setBold(bold);
    return f;
}

} // namespace nordstjerna
