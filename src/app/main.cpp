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
#include "app/widgets/ReportPages.h"
#include "core/deliver/Home.h"
#include "core/job/MakeReport.h"

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
    options.addOption({"write-report", "write the report of the folder as PDF, and leave", "file"});
    options.addOption({"report-round", "the round it is on", "number", "0"});
    options.addOption({"report-words", "words for the owner", "words"});
    options.addOption({"report-tuner", "who tuned the car", "name"});
    options.addOption({"print-start-time", "print the milliseconds until the window is usable, and leave"});
}

/// The report of a folder as a PDF file, without a window: what `bruskctl report --out R.pdf` asks for.
int writeReport(const QCommandLineParser& options) {
    const auto failed = [](const Error& error) {
        std::fprintf(stderr, "%s\n", error.text().c_str());
        return 1;
    };
    if (options.positionalArguments().isEmpty()) return failed({ErrorCode::BadInput, "Say which car folder."});
    storage::RealFileSystem files;
    const auto folder =
        carfolder::CarFolder::open(files, options.positionalArguments()[0].toStdString(), carfolder::Purpose::Look);
    if (!folder) return failed(folder.error());
    const auto profile = (*folder)->settings().get("profile");
    if (!profile) return failed(profile.error());
    std::vector<Error> problems;
    const auto kits = job::loadKits(files, dataFolder(), problems);
    const auto kit =
        std::find_if(kits.begin(), kits.end(), [&](const auto& one) { return one->profile.name == *profile; });
    if (kit == kits.end()) return failed({ErrorCode::NotFound, "The profile of this folder is not there."});
    const auto round = (*folder)->rounds().byNumber(options.value("report-round").toInt());
    if (!round) return failed(round.error());
    const auto report = job::reportOn(
        **kit, **folder, round->id,
        {options.value("report-tuner").toStdString(), options.value("report-words").toStdString(), "Brusk"});
    if (!report) return failed(report.error());
    const QByteArray pdf = ReportPages(*report).pdf();
    const auto done =
        files.save(options.value("write-report").toStdString(),
                   ByteSpan(reinterpret_cast<const uint8_t*>(pdf.data()), static_cast<size_t>(pdf.size())));
    return done ? 0 : failed(done.error());
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
    if (options.isSet("write-report")) return writeReport(options);
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
