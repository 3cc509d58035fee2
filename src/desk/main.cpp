#include <QApplication>
#include <QCommandLineParser>
#include <QMessageBox>
#include <cstdio>

#include "charts/text.h"
#include "core/base/number_text.h"
#include "desk/desk_application.h"
#include "desk/end_signals.h"
#include "desk/main_window.h"
#include "desk/start.h"
#include "desk/text_size.h"
#include "desk/theme.h"

using namespace nordstjerna;

int main(int argc, char** argv) {
    followTextSize(argc, argv);
    DeskApplication app(argc, argv);
    EndSignals endSignals;
    QApplication::setApplicationName("nordstjerna");
    QApplication::setApplicationVersion(NORDSTJERNA_VERSION);
    QApplication::setOrganizationName("nordstjerna");
    QApplication::setStyle("Fusion");
    QCommandLineParser parser;
    parser.setApplicationDescription(QObject::tr("Polar alignment and autoguiding."));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addOption({"demo", QObject::tr("Start with the demo night, whatever devices were chosen.")});
    parser.addOption(
        {"server", QObject::tr("Start with the devices of a server that speaks INDI."), "host:port"});
    parser.addOption({"scenario", QObject::tr("Start with another simulated night."), "file"});
    parser.addOption({"speed", QObject::tr("Let simulated time run faster."), "factor"});
    parser.process(app);

    loadTypefaces();
    pinDecimalPoint(); // the window library has just taken over the machine's locale
    StartWishes wishes;
    wishes.greets = true;
    wishes.scenario = parser.value("scenario").toStdString();
    wishes.simulated = parser.isSet("demo");
    if (parser.isSet("server")) {
        const auto address = parseWireAddress(parser.value("server").toStdString());
        if (!address) {
            std::fprintf(stderr, "%s\n", address.error().text().c_str());
            return 2;
        }
        wishes.server = *address;
    }
    if (parser.isSet("speed")) {
        bool ok = false;
        const double speed = parser.value("speed").toDouble(&ok);
        if (!ok || speed <= 0.0 || speed > 600.0) {
            std::fprintf(stderr, "--speed takes a factor from above 0 to 600.\n");
            return 2;
        }
        wishes.speed = speed;
    }
    ThemeSwitch::instance().use("Dusk"); // for what may have to be told before the last evening is known
    for (;;) {
        auto begun = beginEvening(wishes);
        if (!begun) {
            std::fprintf(stderr, "%s\n", begun.error().text().c_str());
            QMessageBox::critical(nullptr, "Nordstjerna", qs(begun.error().said()));
            return 1;
        }
        const QString kept = qs(begun->session->evening().evening().theme);
        ThemeSwitch::instance().use(themeNames().contains(kept) ? kept : "Dusk");
        MainWindow window(std::move(*begun));
        window.show();
        app.setTold([&window](const Problem& p) { window.session().problems().report(p); });
        QObject::connect(&endSignals, &EndSignals::wanted, &window, &MainWindow::leaveNow);
        const int status = QApplication::exec();
        app.setTold({});
        const auto again = window.beginsAgain();
        if (!again)
            return status;
        wishes = *again; // those of the command line were for the beginning; now the person has chosen
    }
}
