// Desks under haste: questions overtaken by newer ones, askers that are gone, rounds and folders changed while the pool
// reads. Run under the address and the thread check by scripts/sanitize.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSlider>
#include <semaphore>
#include <thread>

#include "Expect.h"
#include "Story.h"
#include "app/desks/Background.h"
#include "app/desks/DriveDesk.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/Messages.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/RoundDesk.h"

using namespace brusk;
using namespace brusk::app;

class DesksTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void ofTwoQuickQuestionsTheNewestAnswerComes();
    void anAnswerThatIsOvertakenWhileItIsWorkedOutIsDropped();
    void questionsOfOtherKindsAndOthersAreNotOvertaken();
    void anAnswerToWhoIsGoneIsDropped();
    void whatThrowsInThePoolIsAnErrorOfTheWorkOrASentence();
    void aRoundChangedWhileItsEvidenceIsComputedShowsTheNewOne();
    void twoQuickClicksAddOnceToTheDraft();
    void recordingsAskedForQuicklyEndAtTheLast();
    void aRecordingAskedForOnARoundThatIsLeftIsNotShown();
    void drivesAreLoadedOnceWhoeverAsks();
    void aDriveThatIsCutOffByItsLinkHoldsNobodyUp();
    void theNextStepIsOneClickAway();
    void aFolderOpenedWhileThePoolReadsIsTheOneShown();
    void aWindowClosedWhileThePoolWorksLeavesNothingBehind();

  private:
    QTemporaryDir folders_;
    std::unique_ptr<Story> story_;
};

void DesksTest::initTestCase() {
    story_ = std::make_unique<Story>(folders_.filePath("driven"));
    QVERIFY(story_->begin());
    for (const int route : {3, 4})
        QVERIFY(story_->drive(route));
}

void DesksTest::ofTwoQuickQuestionsTheNewestAnswerComes() {
    Messages messages;
    Background background(messages);
    QObject asker, other;
    // Every thread of the pool is held, so that all questions wait.
    const int threads = static_cast<int>(std::max(2u, std::thread::hardware_concurrency()));
    std::counting_semaphore<> begun(0), go(0);
    for (int i = 0; i < threads; ++i)
        background.each(
            &other, [&] { return begun.release(), go.acquire(), 0; }, [](int) {});
    for (int i = 0; i < threads; ++i)
        begun.acquire();
    std::vector<int> answers;
    std::atomic<int> worked{0};
    for (int i = 1; i <= 9; ++i)
        background.latest(
            &asker, [&worked, i] { return ++worked, i; }, [&](int answer) { answers.push_back(answer); });
    go.release(threads);
    QTRY_COMPARE(answers.size(), size_t{1});
    QTest::qWait(20);
    QCOMPARE(answers, std::vector<int>{9});
    QCOMPARE(worked.load(), 1);  // what was overtaken was not begun
}

void DesksTest::anAnswerThatIsOvertakenWhileItIsWorkedOutIsDropped() {
    Messages messages;
    Background background(messages);
    QObject asker;
    std::binary_semaphore begun(0), go(0);
    std::vector<int> answers;
    const auto take = [&](int answer) { answers.push_back(answer); };
    background.latest(
        &asker, [&] { return begun.release(), go.acquire(), 1; }, take);
    begun.acquire();
    background.latest(
        &asker, [] { return 2; }, take);
    QTRY_COMPARE(answers, std::vector<int>{2});
    go.release();
    QTest::qWait(50);
    QCOMPARE(answers, std::vector<int>{2});
}

void DesksTest::questionsOfOtherKindsAndOthersAreNotOvertaken() {
    Messages messages;
    Background background(messages);
    QObject one, other;
    std::vector<int> answers;
    const auto take = [&](int answer) { answers.push_back(answer); };
    background.latest(
        &one, [] { return 1; }, take);
    background.latest(
        &one, [] { return 2; }, take, 1);
    background.latest(
        &other, [] { return 3; }, take);
    for (int i = 4; i < 7; ++i)
        background.each(
            &one, [i] { return i; }, take);
    QTRY_COMPARE(answers.size(), size_t{6});
    std::sort(answers.begin(), answers.end());
    QCOMPARE(answers, (std::vector<int>{1, 2, 3, 4, 5, 6}));
}

void DesksTest::anAnswerToWhoIsGoneIsDropped() {
    Messages messages;
    Background background(messages);
    std::binary_semaphore go(0);
    bool answered = false, after = false;
    {
        QObject asker;
        background.latest(
            &asker, [&] { return go.acquire(), 1; }, [&](int) { answered = true; });
        background.each(
            &asker, [] { return 2; }, [&](int) { answered = true; });
    }
    go.release();
    QObject next;
    background.each(
        &next, [] { return 3; }, [&](int) { after = true; });
    QTRY_VERIFY(after);
    QTest::qWait(20);
    QVERIFY(!answered);
}

void DesksTest::whatThrowsInThePoolIsAnErrorOfTheWorkOrASentence() {
    Messages messages;
    Background background(messages);
    QStringList said;
    connect(&messages, &Messages::said, this, [&](const QString& sentence, bool alarm) {
        QVERIFY(alarm);
        said << sentence;
    });
    QObject asker;
    std::optional<Error> error;
    bool answered = false;
    background.latest(
        &asker, []() -> Result<int> { throw std::runtime_error("a broken table"); },
        [&](Result<int> answer) { error = answer.error(); });
    background.latest(
        &asker, []() -> int { throw std::runtime_error("a broken list"); }, [&](int) { answered = true; }, 1);
    QTRY_VERIFY(error && !said.isEmpty());
    QVERIFY(error->code == ErrorCode::Broken && error->message.find("a broken table") != std::string::npos);
    QVERIFY(said[0].contains("a broken list") && !answered);
}

void DesksTest::aRoundChangedWhileItsEvidenceIsComputedShowsTheNewOne() {
    Story& story = *story_;
    const int64_t driven = story.selected()->id;
    QVERIFY(story.correct());
    const int64_t next = story.selected()->id;
    story.goTo("Correct");
    // To and fro, faster than anything is computed.
    for (int i = 0; i < 6; ++i) {
        story.select(i % 2 ? next : driven);
        QCoreApplication::processEvents();
    }
    auto* make = story.window().findChild<QPushButton*>("makeRound");
    QVERIFY(!make->isEnabled());
    // The draft has what its parent's drives ask for, whichever of both is looked at.
    QTRY_COMPARE_WITH_TIMEOUT(make->text(), QString("In round 1 already"), 60000 * kSlower);
    story.select(driven);
    QTRY_COMPARE_WITH_TIMEOUT(make->text(), QString("In round 1 already"), 60000 * kSlower);
    QVERIFY(!make->isEnabled());
    QVERIFY(!story.window().findChild<QLabel*>("axisCheck")->text().isEmpty());
}

void DesksTest::twoQuickClicksAddOnceToTheDraft() {
    Story& story = *story_;
    story.goTo("Correct");
    auto* make = story.find<QPushButton>("makeRound");
    QTRY_COMPARE_WITH_TIMEOUT(make->text(), QString("In round 1 already"), 60000 * kSlower);
    // Half of it is something else than what the draft has.
    QVERIFY(story.openKind("air"));
    QTRY_VERIFY(story.find<QSlider>("setting.strength"));
    auto* strength = story.find<QSlider>("setting.strength");
    strength->setFocus();
    QTest::keyClick(strength, Qt::Key_PageDown);
    QTRY_VERIFY_WITH_TIMEOUT(make->isEnabled(), 60000 * kSlower);
    QCOMPARE(make->text(), QString("Add to round 1"));
    const int64_t driven = story.selected()->id;
    const size_t before = story.rounds().size();
    const auto draft = story.folder().rounds().byNumber(1);
    EXPECT_OK(draft);
    const auto was = *story.folder().rounds().image(draft->id);
    QTest::mouseClick(make, Qt::LeftButton);
    QTest::mouseClick(make, Qt::LeftButton);
    QCOMPARE(story.rounds().size(), before);
    QVERIFY(story.selected()->id != driven);
    // Taken back, and the draft is as it was.
    QTRY_VERIFY_WITH_TIMEOUT(!make->isEnabled(), 60000 * kSlower);
    auto& round = story.desks().round;
    const auto added = round.calibration()->image();
    while (round.history().canUndo())
        round.undo();
    QVERIFY(!(round.calibration()->image() == added));
    const calibration::Calibration kept(round.calibration()->sharedDefinition(), *was);
    QVERIFY(round.calibration()->read("ve_map")->raw == kept.read("ve_map")->raw);
    story.select(driven);
}

void DesksTest::recordingsAskedForQuicklyEndAtTheLast() {
    Story& story = *story_;
    story.goTo("Review");
    auto* list = story.find<QListWidget>("recordings");
    QCOMPARE(list->count(), 2);
    for (int i = 0; i < 9; ++i)
        list->setCurrentRow(i % 2);
    auto& playback = story.desks().playback;
    const auto wanted = story.folder().recordings().of(story.selected()->id);
    QTRY_VERIFY_WITH_TIMEOUT(playback.recording() && playback.title().endsWith(qs((*wanted)[0].title)), 20000);
    QTest::qWait(300);
    QVERIFY(playback.title().endsWith(qs((*wanted)[0].title)));
}

void DesksTest::aRecordingAskedForOnARoundThatIsLeftIsNotShown() {
    Story& story = *story_;
    auto& playback = story.desks().playback;
    const int64_t driven = story.selected()->id;
    const auto child = std::find_if(story.rounds().begin(), story.rounds().end(),
                                    [&](const auto& one) { return one.parent == driven; });
    QVERIFY(child != story.rounds().end());
    const int64_t undriven = child->id;
    story.goTo("Review");
    playback.lookAt(nullptr, {});
    auto* list = story.find<QListWidget>("recordings");
    list->setCurrentRow(1 - list->currentRow());
    story.select(undriven);
    QCOMPARE(list->count(), 0);
    QTest::qWait(500);
    QVERIFY(!playback.recording());
    story.select(driven);
    QTRY_VERIFY_WITH_TIMEOUT(playback.recording(), 20000);
}

void DesksTest::drivesAreLoadedOnceWhoeverAsks() {
    Story& story = *story_;
    auto& evidence = story.desks().evidence;
    const int64_t round = story.selected()->id;
    QTRY_VERIFY_WITH_TIMEOUT(evidence.of(round), 20000);
    const auto drives = evidence.of(round);
    QCOMPARE(drives->size(), size_t{2});
    for (const char* station : {"Maps", "Review", "Correct"}) {
        story.goTo(station);
        evidence.load(round);
    }
    QTest::qWait(200);
    QVERIFY(evidence.of(round) == drives && evidence.behind(round) == drives);
    // A round nobody drove on stands on the same.
    const auto child = std::find_if(story.rounds().begin(), story.rounds().end(),
                                    [&](const auto& one) { return one.parent == round; });
    QVERIFY(child != story.rounds().end());
    evidence.load(child->id);
    QTRY_VERIFY_WITH_TIMEOUT(evidence.behind(child->id), 20000);
    QVERIFY(!evidence.of(child->id) && evidence.behind(child->id) == drives);
}

void DesksTest::aDriveThatIsCutOffByItsLinkHoldsNobodyUp() {
    Story& story = *story_;
    auto& playback = story.desks().playback;
    story.goTo("Review");
    QTRY_VERIFY_WITH_TIMEOUT(playback.recording(), 20000);
    story.setTimeLapse(1);
    story.window().findChild<QComboBox*>("timeLapse")->setCurrentIndex(0);
    story.goTo("Drive");
    QVERIFY(story.click("record"));
    QTRY_VERIFY(story.desks().drive.driving());
    playback.play(true);
    QVERIFY(!playback.playing());  // now is now
    QVERIFY(story.disconnectLink());
    QVERIFY(!story.desks().drive.driving());
    playback.play(true);
    QVERIFY(playback.playing());
    playback.play(false);
    QCOMPARE(story.find<QPushButton>("record")->text(), "Record");
}

void DesksTest::theNextStepIsOneClickAway() {
    story_.reset();
    Story story(folders_.filePath("next"));
    auto* foot = story.find<QAbstractButton>("nextStep");
    QCOMPARE(foot->text(), "Connect to the car");
    QTest::mouseClick(foot, Qt::LeftButton);
    QVERIFY(story.find<QPushButton>("carPrimary"));
    QVERIFY(story.begin());
    auto* filled = story.find<QPushButton>("carPrimary");
    QCOMPARE(foot->text(), "Make the base");
    QCOMPARE(filled->text(), foot->text());
    story.setSheet({});
    QCOMPARE(foot->text(), "Say what is fitted");
    QCOMPARE(filled->text(), foot->text());
    QTest::mouseClick(filled, Qt::LeftButton);
    auto* typing = qobject_cast<QLineEdit*>(story.window().focusWidget());
    QVERIFY(typing && typing->objectName().startsWith("stock_"));
    QTest::keyClicks(typing, "1600");
    QTest::keyClick(typing, Qt::Key_Tab);
    QTRY_COMPARE(foot->text(), "Make the base");
    // By the keyboard, from anywhere.
    QTest::keyClick(&story.window(), Qt::Key_N, Qt::AltModifier);
    QVERIFY(story.find<QPushButton>("makeBaseRound"));
}

void DesksTest::aFolderOpenedWhileThePoolReadsIsTheOneShown() {
    Story story(folders_.filePath("other"));
    QVERIFY(story.begin());
    const size_t rounds = story.rounds().size();
    for (const char* station : {"Review", "Correct", "Maps"})
        for (int i = 0; i < 3; ++i) {
            QVERIFY(story.disconnectLink());
            EXPECT_OK(story.open(folders_.filePath("driven").toStdString()));
            story.goTo(station);
            QVERIFY(story.rounds().size() > rounds);
            QCoreApplication::processEvents();
            EXPECT_OK(story.open(folders_.filePath("other").toStdString()));
            QCOMPARE(story.rounds().size(), rounds);
        }
    // What the pool still had to say of the other folder is shown nowhere.
    QTest::qWait(1000);
    story.goTo("Review");
    QCOMPARE(story.find<QListWidget>("recordings")->count(), 0);
    QVERIFY(story.find<QLabel>("found")->text().startsWith("No drive was recorded on this round"));
    QVERIFY(!story.desks().evidence.behind(story.selected()->id));
    QVERIFY(!story.desks().playback.recording());
    story.goTo("Correct");
    QVERIFY(!story.window().findChild<QPushButton*>("makeRound")->isEnabled());
}

void DesksTest::aWindowClosedWhileThePoolWorksLeavesNothingBehind() {
    for (const char* station : {"Review", "Correct", "Maps", "Base", "Flash"}) {
        auto story = std::make_unique<Story>(folders_.filePath("driven"));
        story->goTo(station);
        QCoreApplication::processEvents();
        story.reset();
    }
    Story again(folders_.filePath("driven"));
    QVERIFY(again.folder().mayWrite() && again.rounds().size() > 1);
}

QTEST_MAIN(DesksTest)
#include "DesksTest.moc"
