// Which channels are recorded, how often each, what goes when the link can't carry them, and sets that were kept.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>

#include "JobBench.h"
#include "core/evidence/Sampled.h"
#include "core/job/Drive.h"
#include "core/job/KeptSets.h"
#include "core/job/LoadDrives.h"
#include "core/recording/Mdf4.h"

using namespace brusk;
using namespace brusk::job;
using link::Pace;

namespace {

Pace paceIn(const ChannelSet& set, const char* role) {
    for (size_t i = 0; i < set.measurements.size(); ++i)
        if (set.measurements[i]->role == role) return set.paces[i];
    qFatal("nobody plays %s", role);
    return Pace::Fast;
}

/// Recorded over a route, in a file of its own.
recording::Recording driven(Bench& bench, const ChannelSet& set, const char* route, DriveOptions options = {}) {
    storage::MemoryFileSystem files;
    bench.car.startRoute(*benchcar::routeNamed(route));
    const auto asked = options.ends;
    options.ends = [&](double elapsed_s) -> std::optional<Ended> {
        if (asked) (void)asked(elapsed_s);
        return bench.car.onRoute() ? std::nullopt : std::optional(Ended::Asked);
    };
    link::Uds uds(bench.bus, bench.kit->profile);
    const auto outcome = recordFile(uds, *bench.kit, files, "d.mf4", set, options);
    if (!outcome || outcome->problem || !outcome->gaps.empty()) qFatal("the drive failed");
    return *recording::readMdf4(*files.read("d.mf4"));
}

}  // namespace

class ChannelsTest : public QObject {
    Q_OBJECT
  private slots:
    void temperaturesAreSlowAndStatesMedium();
    void aControllerOfOnePaceSamplesAllAtIt();
    void eachPaceIsAGroupWithAClockOfItsOwn();
    void slowChannelsSayTheSameAsFastOnes();
    void whatIsWatchedMayBeSlow();
    void aSpareInputIsScaledAtItsOwnPace();
    void slowerChannelsCostTheLinkLess();
    void whatHelpsLeastGoesFirst();
    void whatIsAlwaysRecordedIsNotToGo();
    void aSetIsKeptForItsFamily();
    void aSetOfAnotherFamilyMemberIsTakenAsFarAsItGoes();
    void aFileOfSetsThatCantBeReadIsLeftAlone();
};

void ChannelsTest::temperaturesAreSlowAndStatesMedium() {
    const Bench bench;
    const auto usual = channelSet(*bench.kit, usualChannels(*bench.kit->definition));
    EXPECT_OK(usual);
    QCOMPARE(paceIn(*usual, "engine_speed"), Pace::Fast);
    QCOMPARE(paceIn(*usual, "knock_retard"), Pace::Fast);
    QCOMPARE(paceIn(*usual, "battery"), Pace::Medium);
    // It is computed from the airflow, and jumps with it.
    QCOMPARE(paceIn(*usual, "charge_temperature"), Pace::Medium);
    QCOMPARE(paceIn(*usual, "coolant"), Pace::Slow);
    QCOMPARE(paceIn(*usual, "barometric_pressure"), Pace::Slow);
    QVERIFY(std::is_sorted(usual->paces.begin(), usual->paces.end()));
    const auto classes = classesOf(*bench.kit, *usual);
    QCOMPARE(classes.size(), size_t{3});
    QVERIFY(classes[0].rate_hz == 100 && classes[1].rate_hz == 20 && classes[2].rate_hz == 5);
    QCOMPARE(classes[0].size + classes[1].size + classes[2].size, usual->measurements.size());
    // Somebody wants it otherwise.
    const auto* coolant = bench.kit->definition->measurementWithRole("coolant");
    const auto wished = channelSet(*bench.kit, {}, {{coolant->name, Pace::Medium}});
    QCOMPARE(paceIn(*wished, "coolant"), Pace::Medium);
    QVERIFY(channelsSha(*wished) != channelsSha(*channelSet(*bench.kit, {})));
}

void ChannelsTest::aControllerOfOnePaceSamplesAllAtIt() {
    const Bench bench;
    Kit plain = *bench.kit;
    plain.profile.mediumPeriod_us = plain.profile.slowPeriod_us = 0;
    const auto set = channelSet(plain, {}, {{"battery", Pace::Slow}});
    EXPECT_OK(set);
    QCOMPARE(classesOf(plain, *set).size(), size_t{1});
    plain.profile.mediumPeriod_us = 50000;
    const auto two = channelSet(plain, {"battery"}, {{"battery", Pace::Slow}});
    QCOMPARE(paceIn(*two, "battery"), Pace::Medium);  // the next faster one
}

void ChannelsTest::eachPaceIsAGroupWithAClockOfItsOwn() {
    Bench bench;
    const auto set = channelSet(*bench.kit, usualChannels(*bench.kit->definition));
    const auto recording = driven(bench, *set, "pulls-3");
    const auto rate = [&](const char* role) {
        const auto place = recording.findRole(roles::Role::named(role).value());
        const std::span<const double> time = place.group->time_s;
        return static_cast<double>(time.size() - 1) / (time.back() - time.front());
    };
    QVERIFY(std::abs(rate("engine_speed") - 100) < 0.1);
    QVERIFY(std::abs(rate("battery") - 20) < 0.1);
    QVERIFY(std::abs(rate("coolant") - 5) < 0.1);
    for (const auto& group : recording.groups)
        for (const auto& channel : group.channels)
            for (const float value : channel.values.values())
                QVERIFY2(!std::isnan(value), channel.name.c_str());
    QCOMPARE(recording.groups[1].name, bench.kit->profile.controller + ", medium");
    QCOMPARE(recording.groups[2].rate_hz, 5.0);
}

void ChannelsTest::slowChannelsSayTheSameAsFastOnes() {
    // The same drive twice: what is slow there is fast here.
    const auto coolantOf = [](Pace pace) {
        Bench bench;
        const auto* coolant = bench.kit->definition->measurementWithRole("coolant");
        const auto set = channelSet(*bench.kit, {}, {{coolant->name, pace}});
        const auto recording = std::make_shared<const recording::Recording>(driven(bench, *set, "town"));
        const evidence::Sampled sampled(recording);
        const auto column = sampled.columnIfAny("coolant");
        return std::pair(std::vector<float>(column.begin(), column.end()), recording);
    };
    const auto fast = coolantOf(Pace::Fast), slow = coolantOf(Pace::Slow);
    const size_t rows = std::min(fast.first.size(), slow.first.size());
    QVERIFY(rows > 10000 && rows + 5 > std::max(fast.first.size(), slow.first.size()));
    float most = 0;
    for (size_t i = 20; i < rows; ++i)
        most = std::max(most, std::abs(fast.first[i] - slow.first[i]));
    QVERIFY2(most <= 1.0f, qPrintable(QString::number(most)));
}

void ChannelsTest::whatIsWatchedMayBeSlow() {
    Bench bench;
    const auto* coolant = bench.kit->definition->measurementWithRole("coolant");
    DriveOptions options;
    options.guards = {{"", "warm", "<coolant> > 40 \u00b0C", "", 1, "warm", false}};
    const auto set = channelSet(*bench.kit, {}, {{coolant->name, Pace::Slow}});
    const auto recording = driven(bench, *set, "town", options);
    QStringList said;
    for (const auto& mark : recording.marks)
        if (mark.kind == "guard") said << qs(mark.text);
    QCOMPARE(said, QStringList("warm"));
    // The newest value of all channels, in the order of the set.
    size_t seen = 0;
    const auto at = static_cast<size_t>(std::find(set->measurements.begin(), set->measurements.end(), coolant) -
                                        set->measurements.begin());
    options.onRow = [&](double, std::span<const float> values) {
        seen += values.size() > at && values[at] > 20 && values[at] < 130;
    };
    Bench again;
    const auto rows = driven(again, *channelSet(*again.kit, {}, {{coolant->name, Pace::Slow}}), "town", options)
                          .groups[0]
                          .time_s.size();
    QVERIFY(seen + 30 > rows);
}

void ChannelsTest::aSpareInputIsScaledAtItsOwnPace() {
    Bench bench;
    auto kit = std::make_shared<Kit>(*bench.kit);
    drive::Sensor sensor;
    sensor.title = sensor.name = "line";
    sensor.channel = "spare_volts";
    sensor.role = "lambda_measured";
    sensor.unit = "lambda";
    sensor.scaling = {0.2, 0.5};
    kit->sensors = {sensor};
    bench.kit = kit;
    const auto recording = driven(bench, *channelSet(*kit, {}, {{"spare_volts", Pace::Medium}}), "idle");
    const auto line = recording.find("line"), volts = recording.find("spare_volts");
    QVERIFY(line && volts && line.group->rate_hz == 20);
    QVERIFY(line.group->time_s == volts.group->time_s && line.group->time_s.size() > 100);
    for (size_t i = 0; i < line.group->time_s.size(); ++i)
        QVERIFY(std::abs(line.channel->values[i] - (0.5f + 0.2f * volts.channel->values[i])) < 1e-5f);
}

void ChannelsTest::slowerChannelsCostTheLinkLess() {
    const Bench bench;
    const auto names = usualChannels(*bench.kit->definition);
    PaceWishes fast, slow;
    for (const auto& name : names)
        fast[name] = Pace::Fast, slow[name] = Pace::Slow;
    const auto proposed = channelSet(*bench.kit, names), all = channelSet(*bench.kit, names, fast),
               none = channelSet(*bench.kit, names, slow);
    QVERIFY(all->plan.busLoad > 1.1 * proposed->plan.busLoad && proposed->plan.busLoad > 3 * none->plan.busLoad);
    QVERIFY(std::abs(all->plan.busLoad / none->plan.busLoad - 20) < 0.01);
    // What does not fit at one pace fits at the proposed ones.
    const auto every = channelsWithRole(*bench.kit->definition);
    PaceWishes allFast;
    for (const auto& name : every)
        allFast[name] = Pace::Fast;
    Kit tight = *bench.kit;
    tight.profile.bitrate = 250000;
    EXPECT_FAILS(channelSet(tight, every, allFast), "Choose fewer, or slower ones");
    EXPECT_OK(channelSet(tight, every));
    // A slow wire carries less, and what it can't is refused before the drive.
    Kit narrow = *bench.kit;
    narrow.profile.bitrate = 125000;
    EXPECT_FAILS(channelSet(narrow, names, fast), "% of the link");
    EXPECT_OK(channelSet(narrow, names, slow));
}

void ChannelsTest::whatHelpsLeastGoesFirst() {
    const Bench bench;
    Kit small = *bench.kit;
    small.profile.dynamicIds = 9;
    const auto names = usualChannels(*bench.kit->definition);
    const auto gone = tooMany(small, names);
    QVERIFY(gone.size() > 3 && gone.size() < names.size());
    auto kept = names;
    std::erase_if(kept, [&](const auto& name) { return std::find(gone.begin(), gone.end(), name) != gone.end(); });
    EXPECT_OK(channelSet(small, kept));
    // One more would be one too many; and it is the end of the list that went.
    QCOMPARE(gone.back(), names.back());
    kept.push_back(gone.front());
    EXPECT_FAILS(channelSet(small, kept), "Choose fewer");
    QVERIFY(tooMany(*bench.kit, names).empty());
}

void ChannelsTest::whatIsAlwaysRecordedIsNotToGo() {
    const Bench bench;
    Kit tiny = *bench.kit;
    tiny.profile.dynamicIds = 1;
    QVERIFY(tooMany(tiny, usualChannels(*tiny.definition)).empty());
    EXPECT_FAILS(channelSet(tiny, {}), "at most 1");
}

void ChannelsTest::aSetIsKeptForItsFamily() {
    storage::MemoryFileSystem files;
    const Bench bench;
    const KeptSet mine{"Sunday", {"spark", "battery"}, {{"battery", Pace::Slow}}};
    QVERIFY(loadSets(files, "/home")->empty());
    EXPECT_OK(keepSet(files, "/home", "Aldine E2", mine));
    EXPECT_OK(keepSet(files, "/home", "Other 4", {"Sunday", {"rpm"}, {}}));
    EXPECT_OK(keepSet(files, "/home", "Aldine E2", {"Idle", {"speed"}, {}}));
    const auto sets = loadSets(files, "/home");
    EXPECT_OK(sets);
    QCOMPARE(sets->at("Aldine E2").size(), size_t{2});
    QVERIFY(sets->at("Aldine E2")[1] == mine && sets->at("Other 4").size() == 1);
    // The same name takes its place.
    EXPECT_OK(keepSet(files, "/home", "Aldine E2", {"Sunday", {"spark"}, {}}));
    QCOMPARE(loadSets(files, "/home")->at("Aldine E2")[1].channels.size(), size_t{1});
    EXPECT_OK(forgetSet(files, "/home", "Aldine E2", "Sunday"));
    EXPECT_FAILS(forgetSet(files, "/home", "Aldine E2", "Sunday"), "No set of channels \"Sunday\"");
    QCOMPARE(loadSets(files, "/home")->at("Other 4").size(), size_t{1});
    EXPECT_FAILS(keepSet(files, "/home", "Aldine E2", {"", {"spark"}, {}}), "needs a name");
    EXPECT_FAILS(keepSet(files, "/home", "Aldine E2", {"Empty", {}, {}}), "and a channel");
}

void ChannelsTest::aSetOfAnotherFamilyMemberIsTakenAsFarAsItGoes() {
    storage::MemoryFileSystem files;
    const Bench bench;
    EXPECT_OK(keepSet(files, "/home", bench.kit->profile.controller, {"Both", {"spark", "bank_two_only"}, {}}));
    std::vector<std::string> missing;
    const auto set = setNamed(files, "/home", *bench.kit, "Both", missing);
    EXPECT_OK(set);
    QVERIFY(set->channels == std::vector<std::string>{"spark"} && missing == std::vector<std::string>{"bank_two_only"});
    EXPECT_FAILS(setNamed(files, "/home", *bench.kit, "None", missing), "is kept for");
}

void ChannelsTest::aFileOfSetsThatCantBeReadIsLeftAlone() {
    for (const char* text : {"{", R"({"A": [{"name": 3, "channels": []}]})", R"({"A": 5})", "[]",
                             R"({"A": [{"name": "x", "channels": ["y"], "paces": {"y": "often"}}]})"}) {
        storage::MemoryFileSystem files;
        EXPECT_OK(files.makeFolder("/home"));
        EXPECT_OK(files.save("/home/channel-sets.json", asBytes(std::string_view(text))));
        EXPECT_FAILS(loadSets(files, "/home"), "can't be read");
        EXPECT_FAILS(keepSet(files, "/home", "A", {"n", {"c"}, {}}), "can't be read");
        QCOMPARE(asText(*files.read("/home/channel-sets.json")), std::string_view(text));
    }
}

QTEST_GUILESS_MAIN(ChannelsTest)
#include "ChannelsTest.moc"
