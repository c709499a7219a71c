// brusk: the window.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTimer>
#include <algorithm>
#include <cstdio>
#include <cstring>
#include <functional>

#include "app/desks/Desks.h"
#include "app/desks/Messages.h"
#include "app/shell/MainWindow.h"
#include "app/theme/Theme.h"
#include "core/deliver/Home.h"

using namespace brusk;
using namespace brusk::app;

namespace {

storage::Path dataFolder() {
    const QByteArray set = qgetenv("BRUSK_DATA");
    return set.isEmpty() ? storage::Path(BRUSK_DATA_DIR) : storage::Path(set.toStdString());
}

/// The root of every slot: what comes up that nobody expected is said, and the window goes on.
class Application final : public QApplication {
  public:
    using QApplication::QApplication;
    std::function<void(const QString&)> say;
    bool notify(QObject* receiver, QEvent* event) override {
        try {
            return QApplication::notify(receiver, event);
        } catch (const std::exception& problem) {
            const QString sentence =
                QObject::tr("Something unexpected stopped this step: %1. What was done before is kept.")
                    .arg(QString::fromStdString(problem.what()));
            if (say) say(sentence);
            std::fprintf(stderr, "%s\n", qPrintable(sentence));
            return false;
        }
    }
};

void describe(QCommandLineParser& options) {
    options.setApplicationDescription("Tune a car's engine computer: read, base, drive, correct, flash, hand over.");
    options.addHelpOption();
    options.addPositionalArgument("folder", "the car folder to open");
    options.addOption({"demo", "open the demo car, making its folder if it is not there"});
    options.addOption({"dark", "begin with the dark theme"});
    options.addOption({"print-start-time", "print the milliseconds until the window is usable, and leave"});
}

int run(int argc, char** argv) {
    QElapsedTimer sinceStart;
    sinceStart.start();
    QCommandLineParser options;
    describe(options);
    // Help needs no display.
    if (std::any_of(argv + 1, argv + argc,
                    [](const char* a) { return std::strcmp(a, "--help") == 0 || std::strcmp(a, "-h") == 0; })) {
        QCoreApplication bare(argc, argv);
        options.process(bare);
    }
    Application application(argc, argv);
    QApplication::setApplicationName("Brusk");
    options.process(application);

    Theme::instance().loadFonts();
    Theme::instance().setDark(options.isSet("dark"));
    storage::RealFileSystem files;
    Desks desks(files, dataFolder());
    desks.setOwnParts(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString() + "/parts.json");
    desks.setHome(deliver::usualHome());
    MainWindow window(desks);
    application.say = [&](const QString& sentence) { desks.messages.say(sentence, true); };
    const bool demo = options.isSet("demo");
    if (!options.positionalArguments().isEmpty()) {
        const auto done = desks.open(options.positionalArguments()[0].toStdString(), demo, "Heron 1.6 T");
        if (!done)
            desks.messages.say(QString::fromStdString(done.error().text()), true);
        else if (demo)
            desks.offerSheet(dataFolder() / "heron" / "build-sheet.json");
    }
    window.show();
    if (options.isSet("print-start-time"))
        // Runs when everything the start queued, the first paint among it, is done.
        QTimer::singleShot(0, &window, [&] {
            application.processEvents();
            std::printf("usable after %lld ms\n", static_cast<long long>(sinceStart.elapsed()));
            QApplication::quit();
        });
    return QApplication::exec();
}

}  // namespace

int main(int argc, char** argv) {
    try {
        return run(argc, argv);
    } catch (const std::exception& problem) {
        std::fprintf(stderr, "Brusk met something it did not expect and stops: %s. What was done is kept.\n",
                     problem.what());
        return 1;
    }
}
