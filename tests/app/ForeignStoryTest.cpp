// The window over another maker's definition of the same controller: the same drive, by mouse, makes the same round.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QProcess>

#include "DrivenKit.h"
#include "Expect.h"
#include "Story.h"
#include "app/desks/Places.h"
#include "core/calibration/Compare.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::app;

class ForeignStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void theSameDriveMakesTheSameRound();
};

namespace {

/// What the Correct station made of a recording, in a folder of its own.
struct Outcome {
    std::shared_ptr<const image::Image> image;
};

Outcome correctedThrough(const QString& data, const std::shared_ptr<const recording::Recording>& drive) {
    Story story({}, data);
    if (!story.begin()) qFatal("%s", qPrintable(story.message()));
    Desks& desks = story.desks();
    carfolder::RecordingEntry entry;
    entry.round = story.selected()->id;
    entry.file = "drive.mf4";
    entry.title = "Survey";
    entry.startedAt = drive->startedAt;
    auto* writable = &story.folder();
    if (auto done = recording::saveMdf4(writable->files(), writable->recordings().path(entry.file), *drive); !done)
        qFatal("%s", done.error().text().c_str());
    if (auto done = writable->recordings().add(entry); !done) qFatal("%s", done.error().text().c_str());
    desks.places.showRound(desks.places.round());
    if (!story.correct()) qFatal("nothing was made: %s", qPrintable(story.message()));
    Outcome out;
    out.image = *story.folder().rounds().image(story.selected()->id);
    return out;
}

}  // namespace

void ForeignStoryTest::theSameDriveMakesTheSameRound() {
    QTemporaryDir foreign;
    QCOMPARE(QProcess::execute("python3", {BRUSK_SOURCE_DIR "/scripts/foreign-definition", foreign.path()}), 0);
    storage::RealFileSystem files;
    const auto ours = job::loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json");
    const auto theirs = job::loadKit(files, foreign.filePath("heron/aldine-e2.profile.json").toStdString());
    EXPECT_OK(theirs);
    QVERIFY((*theirs)->definition->measurement("Zpressure"));
    benchcar::BenchCar car(benchcar::kHeronFitted, 1);
    const auto driven = bench::drive(car, {*ours, *theirs}, {"hills"});
    const auto mine = correctedThrough(BRUSK_DATA_DIR, driven.recordings[0]);
    const auto other = correctedThrough(foreign.path(), driven.recordings[1]);
    // To one count, in every cell of everything that was changed.
    const calibration::Calibration a((*ours)->definition, *mine.image), b((*ours)->definition, *other.image);
    const auto changed = calibration::compare(a, bench::calibrationOf(**ours, car));
    QVERIFY(
        std::any_of(changed.begin(), changed.end(), [](const auto& one) { return one.parameter->name == "ve_map"; }));
    size_t differ = 0;
    for (const auto& difference : calibration::compare(a, b)) {
        const auto one = *a.read(*difference.parameter), again = *b.read(*difference.parameter);
        for (size_t i = 0; i < one.raw.size(); ++i) {
            QVERIFY2(std::abs(one.raw[i] - again.raw[i]) <= 1, difference.parameter->name.c_str());
            differ += one.raw[i] != again.raw[i];
        }
    }
    QVERIFY2(differ <= 3, qPrintable(QString("%1 cells differ by a count").arg(differ)));
}

QTEST_MAIN(ForeignStoryTest)
#include "ForeignStoryTest.moc"
