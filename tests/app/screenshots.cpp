// Walks the demo story and saves a picture of each station: screenshots OUTDIR [light|dark] [station ...]
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QScrollArea>
#include <QScrollBar>
#include <QTemporaryDir>
#include <QTime>
#include <QTreeWidget>

#include "DrivenKit.h"
#include "Story.h"
#include "app/desks/CarInHand.h"
#include "app/desks/DeliverDesk.h"
#include "app/desks/EvidenceDesk.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/Places.h"
#include "app/desks/Playback.h"
#include "app/desks/ReferenceDesk.h"
#include "app/stations/base/BaseStation.h"
#include "app/stations/flash/GateList.h"
#include "app/stations/maps/MapsStation.h"
#include "app/widgets/LaneView.h"
#include "app/widgets/MapGrid.h"
#include "core/job/Deliver.h"
#include "core/job/FlashRound.h"
#include "core/job/Keeping.h"
#include "core/job/LoadDrives.h"
#include "core/recording/Mdf4.h"

using namespace brusk::app;

namespace {

/// Every gate as it blocks or warns, each from a plan of the core for a car or a round with that one thing wrong.
void shootGates(Story& story, const QString& out) {
    using namespace brusk;
    Desks& desks = story.desks();
    carfolder::CarFolder& folder = story.folder();
    const job::Kit& demo = *desks.car.kit;
    const int64_t round = story.selected()->id;
    std::vector<job::Gate> gates;
    const auto take = [&](const job::Kit& kit, const link::Identity& identity) {
        const auto plan = job::planFlash(kit, folder, round, &identity);
        if (!plan) qFatal("%s", plan.error().text().c_str());
        for (const auto& gate : plan->gates)
            if (gate.verdict == job::Gate::Verdict::Blocks) gates.push_back(gate);
    };
    const auto with = [&](auto change) {
        link::Identity identity = *story.identity();
        change(identity);
        take(demo, identity);
    };
    with([](link::Identity& i) { i.values["vin"] = "FMKHR16T0E2009999"; });
    with([](link::Identity& i) { i.values["serial"] = "E2-0101-0007"; });
    with([](link::Identity& i) { i.values["software"] = "AE2-5127-D11"; });
    with([](link::Identity& i) { i.voltage = 11.4; });
    with([](link::Identity& i) { i.engineSpeed_rpm = 850; });
    job::Kit unmendable = demo;
    unmendable.profile.checksums.front() = {0x8C0000, 16, 0x800100};
    take(unmendable, *story.identity());
    const std::string identity = folder.settings().get("identity").value_or("");
    if (!folder.settings().set("identity", "")) qFatal("no identity to forget");
    take(demo, *story.identity());
    if (!folder.settings().set("identity", identity)) qFatal("the identity is gone");
    if (!folder.rounds().setRights(
            round,
            deliver::Rights{.may = {deliver::May::Flash}, .car = {.serial = "E2-0200-0001"}, .makerName = "Mara Ost"}
                .text()))
        qFatal("no rights to set");
    take(demo, *story.identity());
    if (!folder.rounds().setRights(round, "")) qFatal("the rights stay");
    const auto calibration = *job::calibrationOf(demo, folder, round);
    const auto edit = calibration.prepare(*demo.definition->parameter("rev_limit"), {{0, 7400}},
                                          calibration::AtLimit::Refuse, "Rev limit");
    auto loose = calibration;
    if (!edit || !loose.apply(*edit)) qFatal("the limit holds");
    const auto wide = folder.rounds().byId(round);
    for (const auto& gate : job::gatesOf(
             {demo, folder, *wide, loose.image(), 0, std::nullopt, story.identity(), "", desks.reference.reference()}))
        if (gate.verdict == job::Gate::Verdict::Warns) gates.push_back(gate);
    QFrame sheet;
    sheet.setProperty("panel", true);
    sheet.resize(760, 390);
    auto* list = new GateList(&sheet);
    list->setGeometry(16, 16, 728, 360);
    list->setGates(gates);
    sheet.show();
    QTest::qWait(100);
    sheet.grab().save(out + "/gates.png");
}

/// The Maps station: grid and profiles, surface beside another map, differences, a switch's card, definition work.
template <class Shoot>
void shootMaps(Story& story, Shoot shoot) {
    auto* maps = qobject_cast<MapsStation*>(story.window().station("Maps"));
    const auto type = [&](const char* text) {
        MapGrid* grid = maps->active()->grid();
        QTest::keyClicks(grid, QString(text[0]));
        if (auto* editor = grid->findChild<QLineEdit*>("cellEditor")) {
            QTest::keyClicks(editor, text + 1);
            QTest::keyClick(editor, Qt::Key_Return);
        }
    };
    // A recording is looked at, so that the footprint is on the maps.
    for (int i = 0; i < 24; ++i)
        story.desks().playback.setMoment(300 + 0.1 * i);
    auto* grid = story.openParameter("how full");
    for (int i = 0; i < 24; ++i)
        story.desks().playback.setMoment(302.4 + 0.1 * i);
    QTest::mouseClick(grid, Qt::LeftButton, {}, grid->cellCentre(4, 5));
    QTest::mouseClick(grid, Qt::LeftButton, Qt::ShiftModifier, grid->cellCentre(5, 7));
    type("x1.02");
    QTest::qWait(400);
    shoot("maps");
    maps->active()->setPicture(ParameterPane::Picture::Surface);
    shoot("maps-surface");
    story.desks().reference.choose("original");
    maps->active()->setPicture(ParameterPane::Picture::Profiles);
    maps->active()->setShowsDifference(true);
    if (auto* finder = story.find<QLineEdit>("finder")) finder->clear();
    if (auto* differs = story.window().findChild<QAction*>("filterDiffers")) differs->setChecked(true);
    QTest::qWait(200);
    shoot("maps-differences");
    maps->active()->setShowsDifference(false);
    if (auto* differs = story.window().findChild<QAction*>("filterDiffers")) differs->setChecked(false);
    story.openParameter("boost target");
    maps->showDefinitionWork(true);
    story.click("addPage");
    const auto fill = [&](const char* name, const char* text) {
        if (auto* edit = story.find<QLineEdit>(name)) QTest::keyClicks(edit, text);
    };
    fill("newName", "boost_spare");
    fill("newDescription", "A table beside the boost target");
    fill("newAddress", "0x8D4100");
    if (auto* kind = story.find<QComboBox>("newKind")) kind->setCurrentIndex(2);
    if (auto* x = story.find<QComboBox>("newX")) x->setCurrentText("axis_speed");
    if (auto* stored = story.find<QComboBox>("newType")) stored->setCurrentText("UWORD");
    if (auto* factor = story.find<QLineEdit>("newFactor")) factor->setText("0.01");
    shoot("maps-definition");
    maps->showDefinitionWork(false);
}

void must(bool ok, const char* what) {
    if (!ok) qFatal("the story stopped at: %s", what);
}

/// A drive under way with a mark, its cable out, and what Review shows of both.
void shootDrive(Story& story, const auto& shoot) {
    story.goTo("Drive");
    story.setTimeLapse(20);
    if (auto* lapse = story.find<QComboBox>("timeLapse")) lapse->setCurrentIndex(2);
    shoot("drive-rest");
    if (auto* wideband = story.find<QComboBox>("benchWideband")) wideband->setCurrentIndex(1);
    must(story.click("sensorsTab") && story.click("listen") && story.settle(), "listen");
    shoot("drive-sensors");
    must(story.click("useSensor"), "use the sensor");
    must(story.click("guardsTab"), "guards");
    shoot("drive-guards");
    must(story.click("tankTab"), "the tank");
    shoot("drive-tank");
    must(story.click("channelsTab"), "channels");
    if (auto* route = story.find<QComboBox>("route"))
        route->setCurrentIndex(route->findText("Pulls in 3rd,", Qt::MatchStartsWith));
    must(story.click("record"), "record");
    if (auto* answer = story.find<QPushButton>("tankAnswer")) QTest::keyClick(answer, Qt::Key_Return);
    QTest::qWait(3000);
    must(story.click("mark"), "mark");
    QTest::qWait(1000);
    shoot("drive");
    story.goTo("Car");
    must(story.click("cable"), "pull the cable");
    story.goTo("Drive");
    QTest::qWait(1500);
    shoot("drive-waiting");
    story.goTo("Car");
    must(story.click("cable"), "plug it in");
    story.goTo("Drive");
    QTest::qWait(2500);
    must(story.click("record") && story.settle(), "stop the drive");
    story.goTo("Review");
    QTest::qWait(1500);
    auto* findings = story.window().findChild<QListWidget*>("findings");
    // A car that runs its own round may leave nothing to be found.
    if (findings && QTest::qWaitFor([&] { return findings->count() > 0; }, 5000)) findings->setCurrentRow(0);
    QTest::qWait(300);
    shoot("review-marks");
}

/// Deliver: a round is sealed, taken at the other end, its values not shown there; the drives come back.
void shootAfar(const QString& out) {
    Story mara, jon;
    for (Story* who : {&mara, &jon}) {
        who->window().resize(1280, 800);
        must(who->begin(), "begin");
        who->goTo("Deliver");
        QTest::keyClicks(who->find<QLineEdit>("keyName"), who == &mara ? "Mara Ost" : "Jon Vale");
        must(who->click("makeKey"), "make a key");
        must(QTest::qWaitFor([&] { return who->find<QLabel>("whoAmI"); }, 20000), "a key");
    }
    must(mara.makeBase(), "base");
    mara.goTo("Deliver");
    for (const auto& [from, to] : {std::pair{&mara, &jon}, std::pair{&jon, &mara}})
        must(from->click("copyCard") && to->click("pasteCard"), "cards");
    QTest::qWait(100);
    for (const char* box : {"may_0_flash", "may_0_record"})
        mara.find<QCheckBox>(box)->setChecked(true);
    QTest::keyClicks(mara.find<QLineEdit>("sealNote"), "Gently for the first 50 km, then send me the drives.");
    QTest::qWait(100);
    mara.window().grab().save(out + "/deliver.png");
    const auto write = [](Story& who, const char* button) {
        QString path;
        QObject::connect(&who.desks().deliver, &DeliverDesk::written, &who.window(),
                         [&](const QString& p) { path = p; });
        must(who.click(button) && QTest::qWaitFor([&] { return !path.isEmpty(); }, 30000), button);
        return path;
    };
    const auto shoot = [&](Story& who, const char* name) {
        QTest::qWait(300);
        who.window().grab().save(out + "/" + name + ".png");
    };
    jon.desks().deliver.open(write(mara, "deliverPrimary").toStdString());
    must(QTest::qWaitFor([&] { return jon.find<QFrame>("incoming"); }, 20000), "what came");
    shoot(jon, "deliver-taken");
    must(jon.click("deliverPrimary"), "take it");
    jon.goTo("Maps");
    shoot(jon, "deliver-sealed-maps");
    must(jon.flash() && jon.drive(), "flash and drive");
    shoot(jon, "deliver-sealed-drive");
    jon.goTo("Review");
    shoot(jon, "deliver-sealed-review");
    jon.goTo("Flash");
    shoot(jon, "deliver-sealed-flash");
    jon.goTo("Deliver");
    mara.desks().deliver.open(write(jon, "makeParcel").toStdString());
    must(QTest::qWaitFor([&] { return mara.find<QFrame>("incoming"); }, 20000), "the parcel");
    shoot(mara, "deliver-parcel");
}

/// A table as another program writes it: semicolons, decimal commas, units in a row, names of its own.
void writeStrangeTable(Story& story, const QString& path) {
    using namespace brusk;
    const auto entries = *story.folder().recordings().all();
    const auto recording = *job::loadRecording(story.folder(), entries.back());
    const std::tuple<const char*, const char*, const char*, double> columns[] = {
        {"Engine RPM", "1/min", "engine_speed", 1},
        {"MAP abs", "mbar", "manifold_pressure", 10},
        {"TPS", "%", "throttle", 1},
        {"Pedal pos", "%", "pedal", 1},
        {"ECT", "degC", "coolant", 1},
        {"IAT", "degC", "intake_temperature", 1},
        {"AFR wide", "", "lambda_measured", 14.7},
        {"AFR cmd", "", "lambda_asked", 14.7},
        {"STFT", "%", "short_trim", 1},
        {"LTFT", "%", "long_trim", 1},
        {"Ign adv", "deg", "spark", 1},
        {"Inj PW", "ms", "injector_pulse", 0.001},
        {"Road speed", "km/h", "vehicle_speed", 1},
        {"Batt", "V", "battery", 1},
        {"Knk ret", "deg", "knock_retard", 1},
        {"K17", "V", "spare_input", 1}};
    QString out = "Logger 3\nDriver;Ines Falk\nClock";
    for (const auto& [name, unit, role, factor] : columns)
        out += QString(";") + name;
    out += "\n";
    for (const auto& [name, unit, role, factor] : columns)
        out += QString(";") + unit;
    out += "\n";
    const auto& clock = *recording->findRole("engine_speed").group;
    for (size_t row = 0; row < clock.time_s.size(); ++row) {
        const double at = 36725.5 + clock.time_s[row];
        out += QTime::fromMSecsSinceStartOfDay(qRound(at * 1000)).toString("HH:mm:ss,zzz");
        for (const auto& [name, unit, role, factor] : columns) {
            const auto place = recording->findRole(*roles::Role::named(role));
            const auto value = place && row < place.channel->values.size() ? double(place.channel->values[row]) : NAN;
            out += ";" + (std::isfinite(value) ? QString::number(value * factor, 'f', 3).replace('.', ',') : QString());
        }
        out += "\n";
    }
    QFile file(path);
    if (!file.open(QFile::WriteOnly) || file.write(out.toUtf8()) < 1) qFatal("the table is not written");
}

/// The page that says how somebody's file will be read.
template <class Shoot>
void shootImport(Story& story, Shoot shoot) {
    QTemporaryDir folder;
    writeStrangeTable(story, folder.filePath("ines evening.csv"));
    story.goTo("Review");
    auto& imports = story.desks().imports;
    imports.open(folder.filePath("ines evening.csv").toStdString());
    must(QTest::qWaitFor([&] { return imports.shown() && !imports.working(); }, 20000), "how it is read");
    shoot("import");
    imports.putAside();
}

/// A drive with several faults, and one on the road with coast-downs, as Review shows them.
template <class Shoot>
void shootFindings(Story& story, Shoot shoot) {
    const auto keep = [&](const char* file, const char* title, std::initializer_list<const char*> faults,
                          const std::vector<std::string>& routes) {
        brusk::benchcar::BenchCar car(brusk::benchcar::kHeronStock, 1);
        brusk::benchcar::FaultPlan plan;
        for (const char* fault : faults)
            must(plan.add(fault).has_value(), fault);
        car.planFaults(plan);
        const auto driven = brusk::bench::drive(car, {brusk::bench::kitOf(brusk::benchcar::kHeronStock)}, routes, 20);
        brusk::carfolder::RecordingEntry entry;
        entry.round = story.selected()->id;
        entry.file = file, entry.title = title;
        entry.startedAt = "2026-05-04T10:00:00Z";
        entry.duration_s = driven.recordings[0]->duration_s();
        auto& folder = story.folder();
        must(brusk::recording::saveMdf4(folder.files(), folder.recordings().path(entry.file), *driven.recordings[0])
                     .has_value() &&
                 folder.recordings().add(entry).has_value(),
             "a drive to keep");
        story.desks().evidence.driveAdded(story.selected()->id);
        story.desks().places.showRound(story.desks().places.round());
    };
    brusk::proposals::BuildSheet sheet = story.sheet();
    sheet.of(brusk::proposals::Fact::VehicleMass) = 1310;
    sheet.of(brusk::proposals::Fact::DragArea) = 0.66;
    story.setSheet(sheet);
    keep("road.mf4", "Pulls with coast-downs", {}, {"road-pulls-3"});
    keep("evening.mf4", "Evening in town", {"wideband:stuck@240-420", "poor-fuel=86", "alternator-dead=0.6"},
         {"town", "hills", "pulls-3"});
    story.goTo("Review");
    auto* findings = story.window().findChild<QListWidget*>("findings");
    must(QTest::qWaitFor([&] { return findings->count() > 2 && story.desks().playback.recording(); }, 30000),
         "findings");
    shoot("review-opened");
    findings->setFocus();
    for (int i = 0; i < std::min(3, findings->count()); ++i) {
        findings->setCurrentRow(i);
        QTest::qWait(400);
        shoot(QString("review-finding-%1").arg(i + 1).toUtf8().constData());
    }
    auto* recordings = story.find<QListWidget>("recordings");
    recordings->setCurrentRow(0);
    auto* events = story.find<QTreeWidget>("events");
    const auto pulls = [&] { return events->findItems("Full pedal", Qt::MatchStartsWith); };
    must(QTest::qWaitFor([&] { return story.desks().playback.recording()->duration_s() < 350; }, 20000) &&
             QTest::qWaitFor([&] { return !pulls().isEmpty(); }, 20000),
         "a pull");
    QTest::qWait(300);
    events->setCurrentItem(pulls()[0]->child(0));
    QTest::qWait(600);
    shoot("review-torque");
}

/// Every kind of correction that this car can have, one after another; what is promised beside what came; and a sheet
/// of the most telling ones, in both themes in turn.
void shootCorrect(Story& story, const QString& out, const std::function<void(const char*)>& shoot) {
    const auto pulls = [&] {
        story.goTo("Drive");
        const auto* routes = story.find<QComboBox>("route");
        must(story.drive(routes->findText("Pulls in 3rd", Qt::MatchStartsWith)), "pulls");
        story.goTo("Correct");
    };
    const bool dark = tokens().dark;
    must(story.flash(), "flash");
    must(story.drive(), "drive the base");
    pulls();
    must(QTest::qWaitFor([&] { return story.find<QPushButton>("makeRound")->isEnabled(); }, 60000), "waiting");
    auto* kinds = story.find<QListWidget>("kinds");
    bool turn = false;
    QList<QImage> tiles;
    for (int i = 0; i < kinds->count(); ++i) {
        const QString kind = kinds->item(i)->data(Qt::UserRole).toString();
        if (kind.isEmpty()) continue;
        kinds->setCurrentRow(i);
        QTest::qWait(100);
        shoot(qPrintable("correct-" + kind));
        if (kind != "meter" && kind != "injector" && kind != "full-load") continue;
        Theme::instance().setDark(turn = !turn);
        QTest::qWait(100);
        tiles << story.window().grab().toImage();
        Theme::instance().setDark(dark);
    }
    must(story.correct() && story.flash() && story.drive(), "correct, flash and drive");
    pulls();
    must(QTest::qWaitFor([&] { return story.find<QTreeWidget>("promised"); }, 60000), "what came");
    must(story.openKind("air"), "the air's line");
    QTest::qWait(3000);
    shoot("correct-promised");
    tiles << story.window().grab().toImage();
    constexpr int kWide = 960, kHigh = 600;
    QImage sheet(2 * kWide, 2 * kHigh, QImage::Format_RGB32);
    QPainter painter(&sheet);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    for (int i = 0; i < std::min(4, static_cast<int>(tiles.size())); ++i)
        painter.drawImage(QRect(i % 2 * kWide, i / 2 * kHigh, kWide, kHigh), tiles[i]);
    painter.end();
    sheet.save(out + "/correct-kinds.png");
}

}  // namespace

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    if (argc < 2) return 2;
    const QString out = argv[1];
    const bool dark = argc > 2 && QString(argv[2]) == "dark";
    Theme::instance().loadFonts();
    Theme::instance().setDark(dark);
    if (argc > 3 && QString(argv[3]) == "afar") {
        shootAfar(out);
        return 0;
    }
    Story story;
    auto& window = story.window();
    window.resize(1280, 800);
    const auto shoot = [&](const char* name) {
        QTest::qWait(250);
        window.grab().save(out + "/" + name + ".png");
    };
    story.hurry();
    shoot("0-start");
    must(story.connectBenchCar(), "connect");
    must(story.read(), "read");
    if (argc > 3 && QString(argv[3]) == "drive") {
        shootDrive(story, shoot);
        return 0;
    }
    if (argc > 3 && QString(argv[3]) == "findings") {
        shootFindings(story, shoot);
        return 0;
    }
    must(story.drive(), "drive the original");
    story.goTo("Car");
    must(story.click("readCodes") && story.settle(), "trouble codes");
    shoot("car");
    story.goTo("Review");
    must(QTest::qWaitFor([&] { return bool(story.desks().playback.recording()); }, 20000), "a recording to look at");
    story.goTo("Base");
    auto* base = qobject_cast<BaseStation*>(window.station("Base"));
    must(QTest::qWaitFor([&] { return base->work() && !base->computing(); }, 5000), "the base's proposals");
    QTest::qWait(200);
    shoot("base");
    base->addDonorFile(BRUSK_DATA_DIR "/heron/heron-s-donor.hex");
    must(QTest::qWaitFor([&] { return story.find<QCheckBox>("accept_donor_boost"); }, 5000), "a donor's offers");
    QTest::qWait(200);
    if (auto* cards = base->findChild<QScrollArea*>("proposals"))
        cards->verticalScrollBar()->setValue(
            story.find<QCheckBox>("accept_donor_boost")->mapTo(cards->widget(), QPoint()).y() - 20);
    shoot("base-donor");
    if (argc > 3 && QString(argv[3]) == "base") return 0;
    must(story.folder().settings().set("base_donor", "").has_value(), "without the donor");
    story.goTo("Car");
    must(story.makeBase(), "base");
    if (argc > 3 && QString(argv[3]) == "maps") {
        shootMaps(story, shoot);
        return 0;
    }
    if (argc > 3 && QString(argv[3]) == "import") {
        shootImport(story, shoot);
        return 0;
    }
    if (argc > 3 && QString(argv[3]) == "correct") {
        shootCorrect(story, out, shoot);
        return 0;
    }
    must(story.flash(), "flash");
    must(story.drive(), "drive the base");
    shootImport(story, shoot);
    story.goTo("Review");
    must(QTest::qWaitFor([&] { return story.find<MapGrid>("cellView"); }, 20000), "waiting");
    if (auto* cells = story.find<MapGrid>("cellView"))
        QTest::mouseClick(cells, Qt::LeftButton, {}, cells->cellCentre(6, 6));
    auto* events = story.find<QTreeWidget>("events");
    must(events && QTest::qWaitFor([&] { return events->topLevelItemCount() > 0; }, 20000), "events");
    for (auto* pull : events->findItems("Full pedal", Qt::MatchStartsWith))
        events->setCurrentItem(pull->child(pull->childCount() - 1));
    shoot("review");
    story.goTo("Correct");
    must(QTest::qWaitFor([&] { return window.findChild<QPushButton*>("makeRound")->isEnabled(); }, 20000), "waiting");
    shoot("correct");
    must(story.correct(), "correct");
    story.goTo("Flash");
    story.settle();
    must(QTest::qWaitFor([&] { return story.find<QPushButton>("flash")->isEnabled(); }, 20000), "the gates");
    shoot("flash-ready");
    // A limit let loose, an engine that runs, a battery that is low: what the gates say then.
    shootGates(story, out);
    story.disconnectLink();
    shoot("flash-blocked");
    must(story.connectBenchCar(), "connect again");
    story.goTo("Flash");
    story.settle();
    must(QTest::qWaitFor([&] { return story.find<QPushButton>("flash")->isEnabled(); }, 20000), "the gates again");
    // The picture of a flash under way: slow enough to be looked at.
    story.setTimeLapse(1);
    must(story.click("flash") && story.click("confirmFlash"), "begin the flash");
    QTest::qWait(1100);
    window.grab().save(out + "/flash.png");
    must(story.settle(), "flash");
    shootMaps(story, shoot);
    shootDrive(story, shoot);
    if (argc > 3 && QString(argv[3]) == "report") story.select(story.rounds()[1].id);
    story.goTo("Deliver");
    must(story.click("showReport"), "the report");
    must(QTest::qWaitFor([&] { return story.find<QWidget>("reportPage"); }, 20000), "its pages");
    shoot("report");
    must(story.click("deliverPrimary"), "its PDF");
    QTest::qWait(1500);
    QFile::copy(QString::fromStdString((story.folder().path() / "exports" /
                                        ("report-round" + std::to_string(story.selected()->number) + ".pdf"))
                                           .string()),
                out + "/report.pdf");
    shootAfar(out);
    // A car that no profile knows.
    QTemporaryDir nothing;
    Story any({}, nothing.path());
    any.window().resize(1280, 800);
    any.hurry();
    must(any.connectBenchCar(), "any car");
    QTest::qWait(1500);
    any.window().grab().save(out + "/any-car.png");
    return 0;
}
