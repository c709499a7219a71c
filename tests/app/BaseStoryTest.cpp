// From an empty build sheet to round 1 by keyboard; refusals at the field, decisions, stages, roles that are asked for.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QMenu>
#include <QRegularExpression>
#include <QTimer>
#include <QToolButton>
#include <functional>

#include "Expect.h"
#include "Maps.h"
#include "app/desks/DefinitionDesk.h"
#include "app/desks/ReferenceDesk.h"
#include "app/desks/SheetDesk.h"
#include "app/stations/base/BaseStation.h"
#include "app/stations/maps/RolesPage.h"
#include "core/definition/A2lWriter.h"
#include "core/job/Keeping.h"

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
    void aRoleThatNothingLooksLikeIsSaid();
    void aDonorsGroupsAreShownBesideOursAndTakenByKeyboard();
    void partsComeFromTheLibraryAndOnesOwn();
};

void BaseStoryTest::anEmptySheetBecomesRoundOneByKeyboard() {
    Story story;
    QVERIFY(story.begin());
    story.setSheet({});
    // From here on there are only keys, sent to whatever has the keyboard.
    const auto press = [&](int key, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QWidget* to = QApplication::focusWidget();
        QTest::keyClick(to ? to : &story.window(), static_cast<Qt::Key>(key), with);
    };
    const auto tabTo = [&](const QString& name) {
        for (int n = 0; n < 150 && focusedName() != name; ++n)
            press(Qt::Key_Tab);
        return focusedName() == name;
    };
    press(Qt::Key_2, Qt::AltModifier);
    QTRY_VERIFY(story.find<QPushButton>("makeBaseRound") && !baseOf(story)->computing());
    QVERIFY(!story.find<QPushButton>("makeBaseRound")->isEnabled());
    QVERIFY(tabTo("toBuildSheet"));
    press(Qt::Key_Space);
    // Every number of the demo's sheet, field by field in the order in which Tab comes by; an empty one is passed over.
    const auto wanted = job::buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
    EXPECT_OK(wanted);
    const auto type = [&](const QString& field, std::optional<double> value) {
        QVERIFY2(tabTo(field), qPrintable(field));
        if (value) QTest::keyClicks(QApplication::focusWidget(), QString::number(*value));
    };
    bool first = true;
    for (const auto& kind : proposals::factKinds())
        for (const bool fitted : {false, true}) {
            if (!fitted && !kind.compared) continue;
            const QString name = (fitted ? "fitted_" : "stock_") + QString::fromStdString(std::string(kind.key));
            const int tabs = first ? 150 : 1;
            for (int n = 0; n < tabs && focusedName() != name; ++n)
                press(Qt::Key_Tab);
            QCOMPARE(focusedName(), name);
            first = false;
            type(name, wanted->of(kind.fact, fitted));
        }
    for (size_t i = 0; i < wanted->deadTimes.size(); ++i) {
        type(QString("deadVolts%1").arg(i), wanted->deadTimes[i].volts);
        type(QString("deadTime%1").arg(i), wanted->deadTimes[i].time_us);
    }
    QVERIFY(tabTo("sheetNotes"));
    QTest::keyClicks(QApplication::focusWidget(), QString::fromStdString(wanted->notes));
    QVERIFY(story.sheet() == *wanted);
    press(Qt::Key_2, Qt::AltModifier);
    QTRY_VERIFY(!baseOf(story)->computing() && proposal(story, "injector_flow"));
    // Each formula with its numbers stands in the window.
    QVERIFY(proposal(story, "injector_flow")->formula.find("620 cm3/min x sqrt(350 kPa / 300 kPa)") !=
            std::string::npos);
    for (const auto& p : baseOf(story)->work()->plan.proposals) {
        auto* formula = story.find<QLabel>(("formula_" + p.id).c_str());
        QVERIFY2(formula && formula->text().toStdString() == p.formula, p.id.c_str());
    }
    // Space leaves a proposal out and takes it again; the keyboard stays on it.
    QVERIFY(tabTo("accept_injector_flow"));
    press(Qt::Key_Space);
    QTRY_VERIFY(!proposal(story, "injector_flow")->accepted);
    QTRY_COMPARE(focusedName(), QString("accept_injector_flow"));
    press(Qt::Key_Space);
    QTRY_VERIFY(proposal(story, "injector_flow")->accepted);
    QTRY_COMPARE(focusedName(), QString("accept_injector_flow"));
    const size_t rounds = story.rounds().size();
    press(Qt::Key_Return, Qt::ControlModifier);
    QTRY_COMPARE(story.rounds().size(), rounds + 1);
    QCOMPARE(story.selected()->number, 1);
    // It is the base that the core computes from the demo's sheet, with the limits of gentle drives.
    const auto original = story.rounds().back().id;
    const calibration::Calibration before(story.calibration()->sharedDefinition(),
                                          *(*story.folder().rounds().image(original)));
    const auto plan = proposals::planBase(before, *wanted, {}, proposals::Stage::Gentle);
    EXPECT_OK(plan);
    for (const auto& p : plan->proposals)
        for (const auto& change : p.changes) {
            const auto made = story.calibration()->read(change.parameter());
            QVERIFY2(made && made->raw == plan->result.read(change.parameter())->raw, p.id.c_str());
        }
    // The round says of itself what was done and why.
    QVERIFY(story.selected()->note.find("669.7 cm3/min") != std::string::npos);
    QVERIFY(story.selected()->note.find("First drive:") != std::string::npos);
}

void BaseStoryTest::nonsenseIsRefusedBesideItsField() {
    Story story;
    QVERIFY(story.begin());
    story.goTo("Car");
    // The sentences that stand below fields; one that stands below another's would show here too.
    const auto refused = [&] {
        QStringList out;
        for (auto* line : story.window().findChildren<QLabel*>(QRegularExpression("^why_")))
            if (line->isVisible()) out << line->objectName().mid(4) + ": " + line->text();
        return out.join("|");
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
        QVERIFY2(refused().startsWith(QString(c.field).mid(7) + ": ") && refused().contains(c.why),
                 qPrintable(refused()));
        QCOMPARE(refused().count('|'), 0);
        QVERIFY(edit->property("wrong").toBool() && edit->toolTip().contains(c.why));
        // What is refused is not computed with.
        QVERIFY(story.sheet() != *job::buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json")));
        QVERIFY(proposals::refusals(story.sheet(), story.calibration()).empty());
        put(story, c.field, qPrintable(good));
        QCOMPARE(refused(), QString());
    }
    // Half a dead time is asked for once the keyboard is elsewhere.
    auto* time = story.window().findChild<QLineEdit*>("deadTime2");
    const QString whole = time->text();
    time->setFocus();
    time->selectAll();
    QTest::keyClick(time, Qt::Key_Delete);
    QCOMPARE(refused(), QString());
    QTest::keyClick(time, Qt::Key_Tab);
    QVERIFY2(refused().startsWith("dead_times: A dead time needs its voltage too"), qPrintable(refused()));
    put(story, "deadTime2", qPrintable(whole));
    QCOMPARE(refused(), QString());
    // Another meter's table as it comes from a spreadsheet.
    QVERIFY(story.sheet().meterCurve.empty());
    put(story, "meterCurve", "1200 0; 2600 31; 4000 127; 7100 568; 9600");
    QVERIFY2(refused().startsWith("meter_curve: Each point takes two numbers"), qPrintable(refused()));
    QTest::keyClicks(story.window().findChild<QLineEdit*>("meterCurve"), " 500");
    QVERIFY2(refused().startsWith("meter_curve: A meter's curve rises"), qPrintable(refused()));
    QVERIFY(story.sheet().meterCurve.empty());
    put(story, "meterCurve", "1200 0; many 31");
    QCOMPARE(refused(), QString("meter_curve: \"many\" is not a number."));
    put(story, "meterCurve", "1200, 0, 2600, 31, 4000, 127,5, 7100, 568");
    QCOMPARE(refused(), QString());
    QCOMPARE(story.sheet().meterCurve[2].flow_kgh, 127.5);
    put(story, "meterCurve", "");
    QApplication::clipboard()->setText("1200\t0\n2600\t31\n4000\t127,5\n7100\t568\n");
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_V, Qt::ControlModifier);
    QCOMPARE(refused(), QString());
    QCOMPARE(story.sheet().meterCurve.size(), size_t{4});
    QCOMPARE(story.sheet().meterCurve[2].flow_kgh, 127.5);
    put(story, "meterCurve", "");
    // Gears are told from first on, and fall.
    put(story, "gears", "3,58; 2.05 1.37, 1.03");
    QCOMPARE(refused(), QString());
    QCOMPARE(story.sheet().gears, (std::vector<double>{3.58, 2.05, 1.37, 1.03}));
    put(story, "gears", "1.37 2.05");
    QVERIFY2(refused().startsWith("gears: Ratios fall from gear to gear"), qPrintable(refused()));
    QVERIFY(story.sheet().gears.empty());
    put(story, "gears", "3.58 tall");
    QCOMPARE(refused(), QString("gears: \"tall\" is not a number."));
    put(story, "gears", "3.58 2.05");
    // What the pressure is held against and where the wideband sits are chosen by their names.
    const auto choose = [&](const char* name, std::string_view word) {
        auto* box = story.window().findChild<QComboBox*>(name);
        QVERIFY(box && box->findText(QString::fromStdString(std::string(word))) >= 0);
        box->setFocus();
        for (int i = 0; i < box->count() && box->currentText().toStdString() != word; ++i)
            QTest::keyClick(box, Qt::Key_Down);
        QCOMPARE(box->currentText().toStdString(), word);
    };
    choose("regulator", "to the weather");
    choose("widebandPlace", "before the turbine");
    QVERIFY(story.sheet().regulator == proposals::Regulator::Unreferenced);
    QVERIFY(story.sheet().wideband == proposals::WidebandPlace::BeforeTheTurbine);
    put(story, "fitted_vehicle_mass", "12");
    QVERIFY2(refused().startsWith("vehicle_mass: A car with driver and fuel weighs"), qPrintable(refused()));
    put(story, "fitted_vehicle_mass", "1310");
    put(story, "fitted_drag_area", "0,64");
    QCOMPARE(refused(), QString());
    QCOMPARE(*story.sheet().of(proposals::Fact::DragArea), 0.64);
    // All of it is kept with the car.
    const auto kept = job::buildSheetFromJson(job::toJson(story.sheet()));
    QVERIFY(kept && *kept == story.sheet());
    // A table longer than the form is kept whole, whatever else is typed.
    auto sheet = story.sheet();
    sheet.deadTimes = {{8, 1700}, {9, 1580}, {10, 1465}, {11, 1350}, {12, 1230}, {14, 995}, {15, 880}};
    story.setSheet(sheet);
    put(story, "fitted_octane", "95");
    QVERIFY(story.sheet().deadTimes == sheet.deadTimes);
    QCOMPARE(*story.sheet().of(proposals::Fact::Octane), 95.0);
    // A comma is a decimal sign too.
    put(story, "fitted_sensor_high_volts", "4,6");
    QCOMPARE(*story.sheet().of(proposals::Fact::SensorHighVolts), 4.6);
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
    // Another number, the reason stays; what is no number is said and changes nothing.
    auto* number = story.find<QLineEdit>("number_injector_flow");
    number->setFocus();
    number->selectAll();
    QTest::keyClicks(number, "much");
    QTest::keyClick(number, Qt::Key_Return);
    QVERIFY(story.find<QLabel>("wrong_injector_flow")->text().contains("\"much\" is not a number"));
    QVERIFY(!proposal(story, "injector_flow")->byHand);
    number->setFocus();
    number->selectAll();
    QTest::keyClicks(number, "655");
    QTest::keyClick(number, Qt::Key_Return);
    QTRY_VERIFY(proposal(story, "injector_flow")->byHand);
    QVERIFY(proposal(story, "injector_flow")->reason.size() > 20);
    // In brief only the formulas stand there, and a part of the car leads to what is proposed for it.
    QVERIFY(story.click("brief"));
    QTRY_VERIFY(story.find<QLabel>("formula_tyres"));
    QTRY_VERIFY(story.find<ProposalCard>("card_tyres")->height() < 110);
    QTRY_VERIFY(story.click("lookAt_Driveline"));
    QTRY_COMPARE(focusedName(), QString("all_Driveline"));
    QVERIFY(story.click("brief"));
    QTRY_VERIFY(story.find<ProposalCard>("card_tyres")->height() > 110);
    // All of it is there again when the folder is opened anew.
    Story again(QString::fromStdString(story.folder().path().string()));
    openBase(again);
    QTRY_VERIFY(proposal(again, "injector_flow") && proposal(again, "injector_flow")->byHand);
    QCOMPARE(proposal(again, "cam_filling")->strength, 0.5);
}

void BaseStoryTest::theLimitsOfTheFirstDrivesAreLoosenedRoundByRound() {
    Story story;
    QVERIFY(story.begin());
    openBase(story);
    auto* stage = story.find<QComboBox>("stage");
    QCOMPARE(stage->currentText(), QString("Gentle"));
    QVERIFY(story.click("makeBaseRound"));
    QCOMPARE(*story.calibration()->value("rev_limit"), 4000.0);
    // On the base, the next stage is a round of its own.
    QTRY_VERIFY(!baseOf(story)->computing() && baseOf(story)->work() && !baseOf(story)->work()->onOriginal);
    QVERIFY(baseOf(story)->work()->plan.edits().empty());
    stage->setFocus();
    for (int i = 0; i < 2; ++i)
        QTest::keyClick(stage, Qt::Key_Down);
    QTRY_COMPARE(baseOf(story)->work()->plan.edits().size(), size_t{3});
    QVERIFY(story.click("makeBaseRound"));
    QCOMPARE(*story.calibration()->value("rev_limit"), 6700.0);
    QVERIFY(story.selected()->title.find("Full load") != std::string::npos);
    QTRY_VERIFY(!baseOf(story)->computing());
    QVERIFY(baseOf(story)->work()->contradictions.empty());
}

void BaseStoryTest::aRoleThatNobodyPlaysIsAskedForAndRemembered() {
    Story story;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
    const auto bare = definition::withRole(story.calibration()->definition(), "injector_flow", "");
    EXPECT_OK(bare);
    desks.definition.change(*bare, [] {});
    QTRY_VERIFY(!story.calibration()->definition().parameterWithRole("injector_flow"));
    openBase(story);
    QVERIFY(!proposal(story, "injector_flow"));
    QTRY_VERIFY(story.find<QPushButton>("ask_injector_flow"));
    // What waits is told above, and one click shows for what.
    auto* wait = story.find<QPushButton>("toWaiting");
    QVERIFY(wait && wait->text().endsWith(" wait"));
    QVERIFY(story.click("toWaiting"));
    QVERIFY(!story.find<QPushButton>("ask_injector_flow")->visibleRegion().isEmpty());
    QVERIFY(story.click("ask_injector_flow"));
    // It leads to those who may play it; ticked, the proposal is there.
    QTRY_VERIFY_WITH_TIMEOUT(story.find<QCheckBox>("role_injector_flow"), 10000);
    story.find<QCheckBox>("role_injector_flow")->setChecked(true);
    QVERIFY(story.click("keepRoles"));
    QTRY_VERIFY(story.calibration()->definition().parameterWithRole("injector_flow"));
    openBase(story);
    QTRY_VERIFY(proposal(story, "injector_flow"));
}

void BaseStoryTest::aRoleThatNothingLooksLikeIsSaid() {
    RolesPage page;
    page.resize(300, 500);
    page.QWidget::show();
    auto* nobody = page.findChild<QLabel*>("rolesNobody");
    page.want("boost_i");
    QVERIFY(!nobody->isVisible());  // nobody has looked yet
    const definition::Definition bare;
    page.show(bare, {});
    QVERIFY(nobody->isVisible());
    QVERIFY2(nobody->text().contains("Nothing here looks like \"boost integral\""), qPrintable(nobody->text()));
    definition::Definition played;
    played.parameters.emplace_back();
    played.parameters.back().name = "KI";
    played.parameters.back().role = "boost_i";
    played.index();
    page.show(played, {});
    QVERIFY(!nobody->isVisible());
}

void BaseStoryTest::aDonorsGroupsAreShownBesideOursAndTakenByKeyboard() {
    QTemporaryDir place;
    auto first = std::make_unique<Story>(place.filePath("car"));
    Story& story = *first;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
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
    QCOMPARE(desks.reference.name(), QString("heron-s-donor.hex"));
    auto* accept = story.find<QCheckBox>("accept_donor_meter");
    accept->setFocus();
    QTest::keyClick(accept, Qt::Key_Space);
    QTRY_VERIFY(proposal(story, "donor_meter")->accepted);
    QTRY_VERIFY(story.find<QLabel>("formula_meter_housing"));
    QVERIFY(story.find<QLabel>("formula_meter_housing")->text().contains("82.0 mm / 76.0 mm"));
    // What its maker fitted can be told here; the suggestion follows.
    QVERIFY(story.click("donorParts"));
    QTRY_VERIFY(baseOf(story)->findChild<QWidget*>("donorSheet"));
    // A part of the car leads nowhere while its proposals are not shown.
    QVERIFY(story.click("lookAt_Turbo"));
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
    QVERIFY(story.selected()->note.find("Spark of the donor") != std::string::npos);
    // Opened anew, the donor and what was said of it are there.
    const QString path = QString::fromStdString(story.folder().path().string());
    first.reset();
    auto second = std::make_unique<Story>(path);
    Story& again = *second;
    QTRY_COMPARE(again.desks().reference.donors().size(), size_t{1});
    again.select(again.rounds().back().id);
    openBase(again);
    QTRY_VERIFY(proposal(again, "donor_meter") && proposal(again, "donor_meter")->accepted);
    // Gone, it is said, and no round is made as if it had never been.
    EXPECT_OK(storage::RealFileSystem().remove(storage::Path(path.toStdString()) / "donors" / "heron-s-donor.hex"));
    second.reset();
    Story without(path);
    QTRY_VERIFY(without.message().contains("heron-s-donor.hex"));
    without.select(without.rounds().back().id);
    openBase(without);
    QTRY_VERIFY(without.find<QComboBox>("donor"));
    QVERIFY(!without.find<QPushButton>("makeBaseRound")->isEnabled());
    // Without it all is as before.
    auto* choice = without.find<QComboBox>("donor");
    choice->setFocus();
    QTest::keyClick(choice, Qt::Key_Home);
    QTRY_VERIFY(!proposal(without, "donor_meter"));
    QTRY_VERIFY(without.find<QLabel>("formula_meter_housing")->text().contains("82.0 mm / 70.0 mm"));
}

void BaseStoryTest::partsComeFromTheLibraryAndOnesOwn() {
    Story story;
    QVERIFY(story.begin());
    Desks& desks = story.desks();
    story.setSheet({});
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
    QCOMPARE(*story.sheet().of(proposals::Fact::InjectorFlow), 620.0);
    QCOMPARE(story.sheet().deadTimes.size(), size_t{5});
    QCOMPARE(story.window().findChild<QLineEdit*>("deadTime3")->text(), QString("995"));
    // Changed by hand and kept under a name, it is there for every car.
    put(story, "fitted_injector_flow", "635");
    QVERIFY(choose("Keep what is fitted", click));
    QTRY_COMPARE(story.window().focusWidget()->objectName(), QString("partName"));
    QTest::keyClicks(story.window().focusWidget(), "Brindal 620, measured");
    QTest::keyClick(story.window().focusWidget(), Qt::Key_Return);
    QVERIFY2(story.message().contains("part of your own"), qPrintable(story.message()));
    story.setSheet({});
    QVERIFY(choose("Brindal 620, measured", click));
    QCOMPARE(*story.sheet().of(proposals::Fact::InjectorFlow), 635.0);
    const auto own =
        std::find_if(desks.sheet.parts().begin(), desks.sheet.parts().end(), [](const auto& p) { return p.own; });
    QVERIFY(own != desks.sheet.parts().end());
    desks.sheet.forgetPart(proposals::Part(*own));
    QVERIFY(!choose("Brindal 620, measured", click));
}

QTEST_MAIN(BaseStoryTest)
#include "BaseStoryTest.moc"
