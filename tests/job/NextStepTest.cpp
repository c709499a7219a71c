// What comes next with a car, row by row; the same from the folder itself.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "JobBench.h"
#include "core/job/Keeping.h"
#include "core/job/NextStep.h"

using namespace brusk;
using namespace brusk::job;

Q_DECLARE_METATYPE(brusk::job::Situation)

namespace {

carfolder::Round round(int number, int recordings = 0, const char* title = "") {
    carfolder::Round out;
    out.id = number + 10;
    out.number = number;
    out.title = title;
    out.recordings = recordings;
    return out;
}

/// A folder that is open, with a car that answers.
Situation open(std::vector<carfolder::Round> rounds, std::optional<int64_t> inCar = {}) {
    Situation out{true, true, std::move(rounds), {}, false};
    out.contents.round = inCar;
    return out;
}

}  // namespace

class NextStepTest : public QObject {
    Q_OBJECT
  private slots:
    void eachSituationHasItsStep_data();
    void eachSituationHasItsStep();
    void everyIdIsItsOwn();
    void aFolderSaysTheSameOfItself();
    void whyARoundWasMadeIsKeptWithIt();
};

void NextStepTest::eachSituationHasItsStep_data() {
    QTest::addColumn<Situation>("situation");
    QTest::addColumn<QString>("id");
    QTest::addColumn<QString>("station");
    QTest::addColumn<QString>("sentence");
    QTest::addColumn<QString>("reason");
    const auto offLine = [](Situation s) {
        s.connected = false;
        return s;
    };
    const auto row = [](const char* name, Situation s, const char* id, const char* station, const char* sentence,
                        const char* reason) { QTest::newRow(name) << s << id << station << sentence << reason; };
    row("no folder", {}, "open-folder", "", "Open a car folder", "one car lies in its folder");
    row("empty folder", offLine(open({})), "connect", "Car", "Connect to the car", "To go on: Read the controller.");
    row("to be read", open({}), "read", "Car", "Read the controller", "The original is kept");
    auto empty = open({round(0)}, 10);
    empty.sheetIsEmpty = true;
    row("sheet empty", empty, "fill-sheet", "Car", "Say what is fitted", "The build sheet is empty");
    row("sheet empty, no link", offLine(empty), "fill-sheet", "Car", "Say what is fitted", "");
    row("base to be made", open({round(0)}, 10), "make-base", "Base", "Make the base", "for the parts fitted");
    row("stock car that was driven", open({round(0, 2)}, 10), "make-base", "Base", "Make the base", "");
    const auto made = open({round(1, 0, "Base for the new parts"), round(0)}, 10);
    row("to be flashed", made, "flash", "Flash", "Flash round 1", "Base for the new parts is not in the car yet.");
    row("to be flashed, no link", offLine(made), "connect", "Car", "Connect to the car", "To go on: Flash round 1.");
    row("car not known", open({round(1), round(0)}), "flash", "Flash", "Flash round 1", "");
    auto broken = made;
    broken.contents.round.reset();
    broken.contents.unfinished.emplace().round = 11;
    row("flash to be finished", broken, "finish-flash", "Flash", "Finish flashing round 1", "did not come to its end");
    row("flash to be finished, no link", offLine(broken), "connect", "Car", "Connect to the car",
        "To go on: Finish flashing round 1.");
    row("to be driven", open({round(1), round(0)}, 11), "drive", "Drive", "Drive on round 1", "nobody drove on it yet");
    row("driven", open({round(1, 1), round(0)}, 11), "correct", "Correct", "Look at the drives",
        "the drives on round 1");
    row("driven, no link", offLine(open({round(1, 1), round(0)}, 11)), "correct", "Correct", "", "");
    auto given = round(1), sealed = round(1, 1);
    given.state = carfolder::RoundState::GivenOut;
    sealed.sealed = true;
    row("given out", open({given, round(0)}, 10), "await-drives", "Deliver", "Open what comes back",
        "round 1 was given out");
    given.recordings = 1;
    row("given out and driven", open({given, round(0)}, 10), "correct", "Correct", "Look at the drives", "");
    row("came sealed", open({sealed, round(0)}, 10), "flash", "Flash", "Flash round 1", "");
    row("came sealed and driven", open({sealed, round(0)}, 11), "send-drives", "Deliver", "Send the drives",
        "who made it looks at what was driven");
    row("a round later", open({round(2), round(1, 1), round(0)}, 11), "flash", "Flash", "Flash round 2", "");
}

void NextStepTest::eachSituationHasItsStep() {
    QFETCH(Situation, situation);
    QFETCH(QString, id);
    QFETCH(QString, station);
    QFETCH(QString, sentence);
    QFETCH(QString, reason);
    const auto step = nextStep(situation);
    QCOMPARE(qs(std::string(stepId(step.step))), id);
    QCOMPARE(qs(step.station), station);
    QVERIFY2(sentence.isEmpty() || qs(step.sentence) == sentence, step.sentence.c_str());
    QVERIFY2(qs(step.reason).contains(reason) && step.reason.ends_with('.'), step.reason.c_str());
}

void NextStepTest::everyIdIsItsOwn() {
    std::set<std::string> ids;
    for (const Step step : steps())
        ids.emplace(stepId(step));
    QCOMPARE(ids.size(), steps().size());
}

void NextStepTest::aFolderSaysTheSameOfItself() {
    Bench bench;
    const auto of = [&] { return nextStep(*situationOf(*bench.folder, bench.kit.get(), true)); };
    QVERIFY(of().step == Step::Read);
    const auto original = bench.read();
    QVERIFY(of().step == Step::FillSheet);
    proposals::BuildSheet sheet;
    sheet.of(proposals::Fact::Octane) = 98;
    EXPECT_OK(bench.folder->settings().keepSheet(toJson(sheet)));
    QVERIFY(of().step == Step::MakeBase);
    const auto changed = bench.change("rev_limit", 6400, original.id);
    QVERIFY(of().step == Step::Flash && of().round == changed.id);
    EXPECT_OK(bench.flash(changed.id));
    QVERIFY(of().step == Step::Drive && of().round == changed.id);
}

void NextStepTest::whyARoundWasMadeIsKeptWithIt() {
    Bench bench;
    const auto original = bench.read();
    proposals::Corrections corrections;
    auto& air = corrections.all.emplace_back();
    air.kind = proposals::correctionKind("air");
    air.tables.emplace_back().changed = 41;
    air.promise = proposals::Promise{"fuel_error_rms_pct", 3.0, 0.4, 0.2, 0.15, {{7, 0.03, 0.004}}};
    air.reason = "Air is off.";
    corrections.made = {&air};
    corrections.now = {0.031, 60}, corrections.expected = {0.002, 60};
    proposals::CorrectionChoices choices;
    choices.settings["air"] = {{"strength", 50}};
    const auto reason = reasonOf(corrections, choices);
    const auto round = makeRound(*bench.kit, *bench.folder, original.id, {}, "Air", reason);
    EXPECT_OK(round);
    const auto kept = reasonFromJson(bench.folder->rounds().byId(round->id)->reason);
    EXPECT_OK(kept);
    QVERIFY(kept->kind == "air" && kept->cells == 41 && kept->settings == reason.settings);
    QCOMPARE(kept->settings.at("air.strength"), 50.0);
    QCOMPARE(kept->promised.size(), size_t{1});
    QVERIFY(kept->promised[0].kind == "air" && kept->promised[0].expected == 0.4 && kept->promised[0].doubt == 0.15);
    QCOMPARE(kept->promised[0].cells.size(), size_t{1});
    QVERIFY(kept->promised[0].cells[0].cell == 7 && kept->promised[0].cells[0].off == 0.03 &&
            kept->promised[0].cells[0].doubt == 0.004);
    QCOMPARE(kept->now.at("fuel_error_rms_pct"), 3.1);
    QCOMPARE(kept->expected, reason.expected);
    QVERIFY(round->note == "Air is off. Fuel was off by 3.10 % over 60 cells; 0.20 % are expected to be left.");
    // One made by hand says so; one from before says nothing; what is broken is an error.
    const auto byHand = bench.change("rev_limit", 6400, original.id);
    QVERIFY(reasonFromJson(bench.folder->rounds().byId(byHand.id)->reason)->kind == "by-hand");
    EXPECT_OK(reasonFromJson(""));
    EXPECT_FAILS(reasonFromJson("{\"kind\": 3}"), "Why a round was made can't be read");
}

QTEST_GUILESS_MAIN(NextStepTest)
#include "NextStepTest.moc"
