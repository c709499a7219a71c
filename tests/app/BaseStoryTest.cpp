// From an empty build sheet to round 1 by keyboard; refusals at the field, decisions, stages, roles that are asked for.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QTimer>
#include <QToolButton>
#include <functional>

#include "Expect.h"
#include "Maps.h"
#include "app/stations/base/BaseStation.h"
#include "core/definition/A2lWriter.h"

using namespace brusk;
using namespace brusk::app;

namespace {

BaseStation* baseOf(Story& story) {
    return qobject_cast<BaseStation*>(story.window().station("Base"));
}

/// Types into a field of the build sheet as a person does who came there with Tab.
void put(Story& story, const char* field, const char* text) {
    auto* edit = story.window().findChild<QLineEdit*>(field);
    QVERIFY2(edit, field);
    edit->setFocus();
    edit->selectAll();
    QTest::keyClicks(edit, text);
}

QString focusedName() {
    return QApplication::focusWidget() ? QApplication::focusWidget()->objectName() : QString();
}

/// Opens Base and waits until its proposals are those of now.
void openBase(Story& story) {
    story.goTo("Base");
    QVERIFY(QTest::qWaitFor([&] { return !baseOf(story)->computing(); }, 5000));
}

const proposals::Proposal* proposal(Story& story, const char* id) {
    return baseOf(story)->work() ? baseOf(story)->work()->plan.find(id) : nullptr;
}

}  // namespace

class BaseStoryTest : public QObject {
    Q_OBJECT
  private slots:
    void anEmptySheetBecomesRoundOneByKeyboard();
    void nonsenseIsRefusedBesideItsField();
    void proposalsAreLeftOutWeakenedAndSetByHand();
    void theLimitsOfTheFirstDrivesAreLoosenedRoundByRound();
    void aRoleThatNobodyPlaysIsAskedForAndRemembered();
    void aDonorsGroupsAreShownBesideOursAndTakenByKeyboard();
    void partsComeFromTheLibraryAndOnesOwn();
};

void BaseStoryTest::anEmptySheetBecomesRoundOneByKeyboard() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    session.setBuildSheet({});
    openBase(story);
    QVERIFY(!story.find<QPushButton>("makeBaseRound")->isEnabled());
    QVERIFY(story.click("toBuildSheet"));
    // Tab goes through the fields in their order, stock before fitted.
    auto* first = story.window().findChild<QLineEdit*>("fitted_injector_flow");
    first->setFocus();
    QTest::keyClicks(first, "620");
    QTest::keyClick(first, Qt::Key_Tab);
    QCOMPARE(focusedName(), QString("fitted_injector_pressure"));
    QTest::keyClicks(QApplication::focusWidget(), "300");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
    QCOMPARE(focusedName(), QString("stock_meter_housing"));
    QTest::keyClicks(QApplication::focusWidget(), "70");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab);
    QTest::keyClicks(QApplication::focusWidget(), "82");
    put(story, "stock_fuel_pressure", "300");
    put(story, "fitted_fuel_pressure", "350");
    QCOMPARE(*session.buildSheet().of(proposals::Fact::MeterHousing), 82.0);
    openBase(story);
    const auto* flow = proposal(story, "injector_flow");
    QVERIFY(flow && flow->formula.find("669.7") != std::string::npos);
    // The formula with its numbers stands in the window.
    auto* formula = story.find<QLabel>("formula_injector_flow");
    QVERIFY(formula && formula->text().contains("620 cm3/min x sqrt(350 kPa / 300 kPa)"));
    // Space leaves a proposal out and takes it again; the keyboard stays on it.
    auto* accept = story.find<QCheckBox>("accept_meter_housing");
    accept->setFocus();
    QTest::keyClick(accept, Qt::Key_Space);
    QTRY_VERIFY(!proposal(story, "meter_housing")->accepted);
    QTRY_COMPARE(focusedName(), QString("accept_meter_housing"));
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    QTRY_VERIFY(proposal(story, "meter_housing")->accepted);
    const size_t rounds = session.rounds().size();
    QTRY_VERIFY(QApplication::focusWidget());
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return, Qt::ControlModifier);
    QCOMPARE(session.rounds().size(), rounds + 1);
    QCOMPARE(session.selected()->number, 1);
    QVERIFY(std::abs(*session.calibration()->value("injector_flow") - 669.7) < 0.1);
    // The round says of itself what was done and why.
    QVERIFY(session.selected()->note.find("669.7 cm3/min") != std::string::npos);
    QVERIFY(session.selected()->note.find("First drive:") != std::string::npos);
}

void BaseStoryTest::nonsenseIsRefusedBesideItsField() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    story.goTo("Car");
    const auto refused = [&] {
        auto* text = story.window().findChild<QLabel*>("sheetRefusal");
        return text->isHidden() ? QString() : text->text();
    };
    QCOMPARE(refused(), QString());
    struct Case {
        const char *field, *text, *why;
    };
    for (const Case& c : {Case{"fitted_injector_flow", "0", "50 to 3000"},
                          {"fitted_fuel_pressure", "-3", "100 to 1000"},
                          {"fitted_sensor_high_pressure", "900", "axis ends at 205"},
                          {"fitted_ethanol", "150", "0 to 100"},
                          {"fitted_ethanol", "much", "is not a number"}}) {
        auto* edit = story.window().findChild<QLineEdit*>(c.field);
        const QString good = edit->text();
        put(story, c.field, c.text);
        QVERIFY2(refused().contains(c.why), qPrintable(refused()));
        QVERIFY(edit->property("wrong").toBool() && edit->toolTip().contains(c.why));
        // What is refused is not computed with.
        QVERIFY(session.buildSheet() != *job::buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json")));
        QVERIFY(proposals::refusals(session.buildSheet(), session.calibration()).empty());
        put(story, c.field, qPrintable(good));
        QCOMPARE(refused(), QString());
    }
    // A table longer than the form is kept whole, whatever else is typed.
    auto sheet = session.buildSheet();
    sheet.deadTimes = {{8, 1700}, {9, 1580}, {10, 1465}, {11, 1350}, {12, 1230}, {14, 995}, {15, 880}};
    session.setBuildSheet(sheet);
    put(story, "fitted_octane", "95");
    QVERIFY(session.buildSheet().deadTimes == sheet.deadTimes);
    QCOMPARE(*session.buildSheet().of(proposals::Fact::Octane), 95.0);
    // A comma is a decimal sign too.
    put(story, "fitted_sensor_high_volts", "4,6");
    QCOMPARE(*session.buildSheet().of(proposals::Fact::SensorHighVolts), 4.6);
}

void BaseStoryTest::proposalsAreLeftOutWeakenedAndSetByHand() {
    Story story;
    QVERIFY(story.begin());
    openBase(story);
    QTRY_VERIFY(proposal(story, "cam_filling"));
    // By cause.
    QVERIFY(story.click("none_Turbo"));
    // Without more boost nothing is computed for it.
    QTRY_VERIFY(!proposal(story, "boost_target")->accepted && !proposal(story, "spark_boost"));
    QVERIFY(story.click("all_Turbo"));
    QTRY_VERIFY(proposal(story, "boost_target")->accepted && proposal(story, "spark_boost")->accepted);
    // Half of it.
    auto* strength = story.find<QComboBox>("strength_cam_filling");
    strength->setFocus();
    QTest::keyClick(strength, Qt::Key_Down);
    QTest::keyClick(strength, Qt::Key_Down);
    QTRY_COMPARE(proposal(story, "cam_filling")->strength, 0.5);
    // Another number, the reason stays.
    auto* number = story.find<QLineEdit>("number_injector_flow");
    number->setFocus();
    number->selectAll();
    QTest::keyClicks(number, "655");
    QTest::keyClick(number, Qt::Key_Return);
    QTRY_VERIFY(proposal(story, "injector_flow")->byHand);
    QVERIFY(proposal(story, "injector_flow")->reason.size() > 20);
    // All of it is there again when the folder is opened anew.
    Story again(QString::fromStdString(story.session().folder()->path().string()));
    openBase(again);
    QTRY_VERIFY(proposal(again, "injector_flow") && proposal(again, "injector_flow")->byHand);
    QCOMPARE(proposal(again, "cam_filling")->strength, 0.5);
}

void BaseStoryTest::theLimitsOfTheFirstDrivesAreLoosenedRoundByRound() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    openBase(story);
    auto* stage = story.find<QComboBox>("stage");
    QCOMPARE(stage->currentText(), QString("Gentle"));
    QVERIFY(story.click("makeBaseRound"));
    QCOMPARE(*session.calibration()->value("rev_limit"), 4000.0);
    // On the base, the next stage is a round of its own.
    QTRY_VERIFY(!baseOf(story)->computing() && baseOf(story)->work() && !baseOf(story)->work()->onOriginal);
    QVERIFY(baseOf(story)->work()->plan.edits().empty());
    stage->setFocus();
    for (int i = 0; i < 2; ++i)
        QTest::keyClick(stage, Qt::Key_Down);
    QTRY_COMPARE(baseOf(story)->work()->plan.edits().size(), size_t{3});
    QVERIFY(story.click("makeBaseRound"));
    QCOMPARE(*session.calibration()->value("rev_limit"), 6700.0);
    QVERIFY(session.selected()->title.find("Full load") != std::string::npos);
    QTRY_VERIFY(!baseOf(story)->computing());
    QVERIFY(baseOf(story)->work()->contradictions.empty());
}

void BaseStoryTest::aRoleThatNobodyPlaysIsAskedForAndRemembered() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    const auto bare = definition::withRole(session.calibration()->definition(), "injector_flow", "");
    EXPECT_OK(bare);
    session.changeDefinition(*bare, [] {});
    QTRY_VERIFY(!session.calibration()->definition().parameterWithRole("injector_flow"));
    openBase(story);
    QVERIFY(!proposal(story, "injector_flow"));
    QTRY_VERIFY(story.find<QPushButton>("ask_injector_flow"));
    QVERIFY(story.click("ask_injector_flow"));
    // It leads to those who may play it; ticked, the proposal is there.
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QCheckBox>("role_injector_flow"), 10000);
    story.find<QCheckBox>("role_injector_flow")->setChecked(true);
    QVERIFY(story.click("keepRoles"));
    QTRY_VERIFY(session.calibration()->definition().parameterWithRole("injector_flow"));
    openBase(story);
    QTRY_VERIFY(proposal(story, "injector_flow"));
}

void BaseStoryTest::aDonorsGroupsAreShownBesideOursAndTakenByKeyboard() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    openBase(story);
    baseOf(story)->addDonorFile(BRUSK_DATA_DIR "/heron/heron-s-donor.hex");
    QTRY_VERIFY(proposal(story, "donor_boost"));
    QVERIFY(proposal(story, "donor_boost")->suggested && !proposal(story, "donor_boost")->accepted);
    QTRY_VERIFY(story.find<QCheckBox>("accept_donor_boost"));
    // Before a yes both stand side by side, told apart by words too.
    QStringList titles;
    auto* card = story.find<QCheckBox>("accept_donor_boost")->parentWidget();
    for (auto* l : card->findChildren<QLabel*>())
        titles << l->text();
    QVERIFY2(
        titles.contains("suggested") && titles.contains("ours 101 to 158") && titles.contains("donor's 101 to 172"),
        qPrintable(titles.join("|")));
    QVERIFY(titles.contains("The same in both: Boost by gear, Boost proportional"));
    // It is held beside ours on Maps as well.
    QCOMPARE(session.referenceName(), QString("heron-s-donor.hex"));
    auto* accept = story.find<QCheckBox>("accept_donor_meter");
    accept->setFocus();
    QTest::keyClick(accept, Qt::Key_Space);
    QTRY_VERIFY(proposal(story, "donor_meter")->accepted);
    QTRY_VERIFY(story.find<QLabel>("formula_meter_housing"));
    QVERIFY(story.find<QLabel>("formula_meter_housing")->text().contains("82.0 mm / 76.0 mm"));
    // What its maker fitted can be told here; the suggestion follows.
    QVERIFY(story.click("donorParts"));
    QTRY_VERIFY(baseOf(story)->findChild<QWidget*>("donorSheet"));
    auto* spring = baseOf(story)->findChild<QWidget*>("donorSheet")->findChild<QLineEdit*>("fitted_turbo_spring");
    spring->setFocus();
    spring->selectAll();
    QTest::keyClicks(spring, "20");
    QVERIFY(story.click("donorPartsDone"));
    QTRY_VERIFY(proposal(story, "donor_boost") && !proposal(story, "donor_boost")->suggested);
    QVERIFY(proposal(story, "donor_boost")->reason.find("farther off in spring") != std::string::npos);
    QTRY_VERIFY(story.find<QToolButton>("takeSuggested"));
    story.find<QToolButton>("takeSuggested")->setFocus();
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
    QTRY_VERIFY(proposal(story, "donor_spark")->accepted && !proposal(story, "donor_boost")->accepted);
    // A round asked for while the proposals are still being computed waits for them.
    QTRY_VERIFY(!baseOf(story)->computing() && story.find<QPushButton>("makeBaseRound")->isEnabled());
    QVERIFY(story.click("makeBaseRound"));
    QVERIFY(session.selected()->note.find("Spark of the donor") != std::string::npos);
    // Opened anew, the donor and what was said of it are there.
    const QString path = QString::fromStdString(session.folder()->path().string());
    Story again(path);
    QTRY_COMPARE(again.session().donors().size(), size_t{1});
    again.session().selectRound(again.session().rounds().back().id);
    openBase(again);
    QTRY_VERIFY(proposal(again, "donor_meter") && proposal(again, "donor_meter")->accepted);
    // Gone, it is said, and no round is made as if it had never been.
    EXPECT_OK(storage::RealFileSystem().remove(storage::Path(path.toStdString()) / "donors" / "heron-s-donor.hex"));
    Story without(path);
    QTRY_VERIFY(without.message().contains("heron-s-donor.hex"));
    without.session().selectRound(without.session().rounds().back().id);
    openBase(without);
    QTRY_VERIFY(without.find<QComboBox>("donor"));
    QVERIFY(!without.find<QPushButton>("makeBaseRound")->isEnabled());
    // Without it all is as before.
    QTRY_VERIFY(again.find<QComboBox>("donor"));
    auto* choice = again.find<QComboBox>("donor");
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Home);
    QTRY_VERIFY(!proposal(again, "donor_meter"));
    QTRY_VERIFY(again.find<QLabel>("formula_meter_housing")->text().contains("82.0 mm / 70.0 mm"));
}

void BaseStoryTest::partsComeFromTheLibraryAndOnesOwn() {
    Story story;
    QVERIFY(story.begin());
    Session& session = story.session();
    session.setBuildSheet({});
    story.goTo("Car");
    const auto choose = [](const QString& part, const std::function<void()>& open) {
        bool found = false;
        QObject whileOpen;
        QTimer::singleShot(0, &whileOpen, [&] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            for (auto* action : menu ? menu->actions() : QList<QAction*>())
                if (action->text().startsWith(part) && action->isEnabled()) {
                    menu->setActiveAction(action);
                    found = true;
                }
            if (menu) QTest::keyClick(menu, found ? Qt::Key_Return : Qt::Key_Escape);
        });
        open();
        return found;
    };
    auto* field = story.window().findChild<QLineEdit*>("fitted_injector_flow");
    auto* button = story.window().findChild<QToolButton*>("parts_Injectors");
    const auto click = [&] { QTest::mouseClick(button, Qt::LeftButton); };
    // Alt+Down in a field opens the parts of its group, and so does the button beside its heading.
    QVERIFY(choose("Brindal 620", [&] {
        field->setFocus();
        QTest::keyClick(field, Qt::Key_Down, Qt::AltModifier);
    }));
    QCOMPARE(*session.buildSheet().of(proposals::Fact::InjectorFlow), 620.0);
    QCOMPARE(session.buildSheet().deadTimes.size(), size_t{5});
    QCOMPARE(story.window().findChild<QLineEdit*>("deadTime3")->text(), QString("995"));
    // Changed by hand and kept under a name, it is there for every car.
    put(story, "fitted_injector_flow", "635");
    QVERIFY(choose("Keep what is fitted", click));
    QTRY_COMPARE(story.window().focusWidget()->objectName(), QString("partName"));
    QTest::keyClicks(story.window().focusWidget(), "Brindal 620, measured");
    QTest::keyClick(story.window().focusWidget(), Qt::Key_Return);
    QVERIFY2(story.message().contains("part of your own"), qPrintable(story.message()));
    session.setBuildSheet({});
    QVERIFY(choose("Brindal 620, measured", click));
    QCOMPARE(*session.buildSheet().of(proposals::Fact::InjectorFlow), 635.0);
    const auto own = std::find_if(session.parts().begin(), session.parts().end(), [](const auto& p) { return p.own; });
    QVERIFY(own != session.parts().end());
    session.forgetPart(proposals::Part(*own));
    QVERIFY(!choose("Brindal 620, measured", click));
}

QTEST_MAIN(BaseStoryTest)
#include "BaseStoryTest.moc"
