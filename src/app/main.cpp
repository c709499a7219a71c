// brusk: the window.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTimer>
#include <cstdio>

#include "app/Session.h"
#include "app/shell/MainWindow.h"
#include "app/theme/Theme.h"

using namespace brusk;
using namespace brusk::app;

namespace {

storage::Path dataFolder() {
    const QByteArray set = qgetenv("BRUSK_DATA");
    return set.isEmpty() ? storage::Path(BRUSK_DATA_DIR) : storage::Path(set.toStdString());
}

/// Opens the folder, or makes it when it is not there yet.
Done openOrCreate(Session& session, storage::FileSystem& files, const storage::Path& path, bool create) {
    if (create && !files.exists(path / "car.sqlite")) return session.createFolder(path, "Heron 1.6 T");
    return session.openFolder(path);
}

}  // namespace

int main(int argc, char** argv) {
    QElapsedTimer sinceStart;
    sinceStart.start();
    QApplication application(argc, argv);
    QApplication::setApplicationName("Brusk");
    QCommandLineParser options;
    options.setApplicationDescription("Tune a car's engine computer: read, base, drive, correct, flash, hand over.");
    options.addHelpOption();
    options.addPositionalArgument("folder", "the car folder to open");
    options.addOption({"demo", "open the demo car, making its folder if it is not there"});
    options.addOption({"dark", "begin with the dark theme"});
    options.addOption({"print-start-time", "print the milliseconds until the window is usable, and leave"});
    options.process(application);

    Theme::instance().loadFonts();
    Theme::instance().setDark(options.isSet("dark"));
    storage::RealFileSystem files;
    Session session(files, dataFolder());
    session.setOwnParts(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString() +
                        "/parts.json");
    MainWindow window(session);
    const bool demo = options.isSet("demo");
    if (!options.positionalArguments().isEmpty()) {
        const auto done = openOrCreate(session, files, options.positionalArguments()[0].toStdString(), demo);
        if (!done)
            session.say(QString::fromStdString(done.error().text()), true);
        else if (demo)
            session.offerBuildSheet(dataFolder() / "heron" / "build-sheet.json");
        if (done) emit session.folderChanged();
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
