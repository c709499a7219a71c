// bruskctl as its users meet it: the program itself, its JSON, its exit codes, and the bench car as a process of its
// own.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTemporaryDir>
#include <cmath>

#include "ctl/Ctl.h"

using namespace brusk;

class CtlTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase();
    void wrongUseExitsWithTwo();
    void imageInfoListsSegments();
    void imageConvertGoesThroughEveryFormat();
    void nothingIsOverwrittenWithoutForce();
    void aDamagedHexIsOneSentence();
    void definitionCheckCountsAndComplains();
    void definitionListFinds();
    void definitionRolesAreGuessed();
    void valuesAreRowsOfColumns();
    void setStoresTheNearestCountAndRefusesBeyondLimits();
    void theWrongDefinitionIsSaid();
    void compareListsWhatDiffers();
    void valuesGoOutAndInAsCdf();
    void valuesArePrintedInTheUnitsAskedFor();
    void aDonorsMapIsTakenOver();
    void aDefinitionIsChangedCopiedAndWrittenAnew();
    void identifyOverTheBench();
    void obdNeedsNoProfile();
    void aCarIsReadIntoAFolderAndChecked();
    void anInterruptedReadIntoAFileGoesOn();
    void aFlashTellsItsShareOfTheLeast();
    void noAnswerOnASocketIsSaid();
    void recordAndCellsWorkTogether();
    void eventsAndFindingsOfARecordingAreTold();
    void aFolderTellsItsRoundsAndRecordings();
    void aRecordingEndsCleanlyBySignalAndIsRecoveredAfterAKill();
    void failuresAreOneJsonDocumentToo();
    void theWindowsHelpNeedsNoDisplay();
    void theStockCarStoresARichCode();
    void flashOverTheSocketToTheBenchCarProcess();
    void theBenchCarProcessIsKilledInAFlash();
    void theBenchCarProcessStandsInItsDrawnWeather();
    void theBaseIsComputedFromFiles();

  private:
    QString at(const char* name) { return folder_.filePath(name); }
    QTemporaryDir folder_;
};

void CtlTest::initTestCase() {
    const Ran read = ctl({"read", "--link", "bench", "--out", at("original.hex"), "--json"});
    QVERIFY2(read.code == 0, read.err.constData());
    QCOMPARE(read.object()["bytes"].toInt(), 1048576);
    QVERIFY(read.object()["seconds_on_the_wire"].toDouble() > 30);
    QVERIFY(read.err.contains("KiB/s"));  // progress goes to standard error
}

void CtlTest::wrongUseExitsWithTwo() {
    QCOMPARE(ctl({}).code, 2);
    QCOMPARE(ctl({"nonsense"}).code, 2);
    QCOMPARE(ctl({"image", "convert", "only-one"}).code, 2);
    QCOMPARE(ctl({"flash", "--link", "bench"}).code, 2);
    QCOMPARE(ctl({"--help"}).code, 0);
}

void CtlTest::imageInfoListsSegments() {
    const Ran info = ctl({"image", "info", at("original.hex"), "--json"});
    QCOMPARE(info.code, 0);
    QCOMPARE(info.object()["format"].toString(), "Intel HEX");
    const auto segment = info.object()["segments"].toArray()[0].toObject();
    QCOMPARE(segment["start"].toInt(), 0x800000);
    QCOMPARE(segment["size"].toInt(), 1048576);
    QCOMPARE(segment["sha256"].toString().size(), 64);
}

void CtlTest::imageConvertGoesThroughEveryFormat() {
    const QString sha = ctl({"image", "info", at("original.hex"), "--json"})
                            .object()["segments"]
                            .toArray()[0]
                            .toObject()["sha256"]
                            .toString();
    QCOMPARE(ctl({"image", "convert", at("original.hex"), at("a.s19"), "--row", "16"}).code, 0);
    QCOMPARE(ctl({"image", "convert", at("a.s19"), at("a.bin")}).code, 0);
    QCOMPARE(QFileInfo(at("a.bin")).size(), 1048576);
    QCOMPARE(ctl({"image", "convert", at("a.bin"), at("again.hex"), "--base", "0x800000"}).code, 0);
    const auto segment = ctl({"image", "info", at("again.hex"), "--json"}).object()["segments"].toArray()[0].toObject();
    QCOMPARE(segment["sha256"].toString(), sha);
    QCOMPARE(segment["start"].toInt(), 0x800000);
    const Ran unknown = ctl({"image", "convert", at("a.bin"), at("a.txt")});
    QCOMPARE(unknown.code, 1);
    QVERIFY(unknown.err.contains("names no format"));
}

void CtlTest::nothingIsOverwrittenWithoutForce() {
    QVERIFY(ctl({"image", "convert", at("original.hex"), at("b.bin")}).code == 0);
    const Ran again = ctl({"image", "convert", at("original.hex"), at("b.bin")});
    QCOMPARE(again.code, 1);
    QVERIFY(again.err.contains("--force"));
    QCOMPARE(ctl({"image", "convert", at("original.hex"), at("b.bin"), "--force"}).code, 0);
    QCOMPARE(ctl({"read", "--link", "bench", "--out", at("original.hex")}).code, 1);
}

void CtlTest::aDamagedHexIsOneSentence() {
    QFile in(at("original.hex")), out(at("damaged.hex"));
    QVERIFY(in.open(QFile::ReadOnly) && out.open(QFile::WriteOnly));
    QByteArray text = in.readAll();
    text[200] = text[200] == '0' ? '1' : '0';
    out.write(text);
    out.close();
    for (const QStringList& command :
         {QStringList{"image", "info", at("damaged.hex")}, QStringList{"values", kA2l, at("damaged.hex")},
          QStringList{"flash", at("damaged.hex"), "--link", "bench"}}) {
        const Ran ran = ctl(command);
        QCOMPARE(ran.code, 1);
        QVERIFY2(ran.err.contains("the checksum is wrong") && ran.err.count('\n') == 1, ran.err.constData());
        QVERIFY(ran.out.isEmpty());
    }
}

void CtlTest::definitionCheckCountsAndComplains() {
    const Ran good = ctl({"definition", "check", kA2l, "--json"});
    QCOMPARE(good.code, 0);
    QCOMPARE(good.object()["counts"].toObject()["parameters"].toInt(), 250);
    QVERIFY(good.object()["diagnostics"].toArray().isEmpty());
    QFile out(at("broken.a2l"));
    QVERIFY(out.open(QFile::WriteOnly));
    out.write(QByteArray::fromStdString(readText(kA2l.toStdString())).replace("VALUE 0x8C4000", "VALUE nowhere"));
    out.close();
    const Ran broken = ctl({"definition", "check", at("broken.a2l"), "--json"});
    QCOMPARE(broken.code, 3);
    const auto first = broken.object()["diagnostics"].toArray()[0].toObject();
    QCOMPARE(first["severity"].toString(), "error");
    QVERIFY(first["line"].toInt() > 100);
    QCOMPARE(ctl({"definition", "check", at("original.hex")}).code, 1);
    QCOMPARE(ctl({"definition", "check", at("not-there.a2l")}).code, 1);
}

void CtlTest::definitionRolesAreGuessed() {
    QCOMPARE(ctl({"definition", "change", kA2l, "rev_limit", "--out", at("bare.a2l"), "--role", "-"}).code, 0);
    const QJsonObject told = ctl({"definition", "roles", at("bare.a2l"), "--json"}).object();
    QCOMPARE(told["given"].toObject()["ve_map"].toString(), QString("ve_map"));
    QStringList offered;
    for (const auto& missing : told["missing"].toArray())
        if (missing.toObject()["role"] == "rev_limit")
            for (const auto& guess : missing.toObject()["guesses"].toArray())
                offered << guess.toObject()["name"].toString();
    QVERIFY2(offered.contains("rev_limit") && offered.size() <= 3, qPrintable(offered.join(", ")));
}

void CtlTest::definitionListFinds() {
    const auto all = ctl({"definition", "list", kA2l, "--json"}).array();
    QCOMPARE(all.size(), 250 + 117);
    const auto found = ctl({"definition", "list", kA2l, "--find", "dead time", "--json"}).array();
    QVERIFY(found.size() >= 2 && found.size() < 6);
    QCOMPARE(found.last().toObject()["group"].toString(), "Aldine E2 / Fuel");
    QCOMPARE(ctl({"definition", "list", kA2l, "--find", "0x8C8010", "--json"}).array().size(), 1);
}

void CtlTest::valuesAreRowsOfColumns() {
    const auto object = ctl({"values", kA2l, at("original.hex"), "ve_map", "injector_flow", "dead_time",
                             "calibration_id", "loop_on", "--json"})
                            .object();
    const auto ve = object["ve_map"].toObject();
    QCOMPARE(ve["kind"].toString(), "map");
    QCOMPARE(ve["values"].toArray().size(), 14);
    QCOMPARE(ve["values"].toArray()[0].toArray().size(), 16);
    QCOMPARE(ve["x"].toObject()["unit"].toString(), "rpm");
    QCOMPARE(ve["y"].toObject()["values"].toArray()[0].toDouble(), 15.0);
    QCOMPARE(object["injector_flow"].toObject()["value"].toDouble(), 380.0);
    QCOMPARE(object["dead_time"].toObject()["values"].toArray().size(), 8);
    QCOMPARE(object["calibration_id"].toObject()["value"].toString(), "HERON16T-FACTORY");
    QCOMPARE(object["loop_on"].toObject()["text"].toString(), "on");
    // Counts, where they are asked for.
    const auto counts =
        ctl({"values", kA2l, at("original.hex"), "injector_flow", "ve_map", "--raw", "--json"}).object();
    QCOMPARE(counts["injector_flow"].toObject()["value"].toDouble(), 3800.0);
    QCOMPARE(counts["ve_map"].toObject()["values"].toArray()[2].toArray()[3].toDouble(),
             std::round(ve["values"].toArray()[2].toArray()[3].toDouble() * 100));
    // A measurement whose place the image holds is told too; one that lies in RAM is not there.
    QFile moved(at("moved.a2l"));
    QVERIFY(moved.open(QFile::WriteOnly));
    moved.write(QByteArray::fromStdString(readText(kA2l.toStdString()))
                    .replace("ECU_ADDRESS 0x3F0000", "ECU_ADDRESS 0x8C8002"));
    moved.close();
    const auto speed =
        ctl({"values", at("moved.a2l"), at("original.hex"), "speed", "--json"}).object()["speed"].toObject();
    QVERIFY(speed["kind"] == "measurement" && speed["unit"] == "rpm" && speed["value"] == 950.0);
    const Ran inRam = ctl({"values", kA2l, at("original.hex"), "speed"});
    QVERIFY(inRam.code == 1 && inRam.err.contains("does not hold speed"));
    const Ran missing = ctl({"values", kA2l, at("original.hex"), "nothing"});
    QCOMPARE(missing.code, 1);
    QVERIFY(missing.err.contains("no parameter nothing"));
    QVERIFY(ctl({"values", kA2l, at("original.hex"), "ve_map"}).out.contains("Engine speed rpm"));
}

void CtlTest::setStoresTheNearestCountAndRefusesBeyondLimits() {
    const Ran set =
        ctl({"set", kA2l, at("original.hex"), "--out", at("set.hex"), "injector_flow=620.04", "ve_map[2,3]=55.555",
             "dead_time[0]=1500", "loop_on=off", "calibration_id=HERON-TEST", "--json"});
    QVERIFY2(set.code == 0, set.err.constData());
    QCOMPARE(set.object()["injector_flow"].toObject()["value"].toDouble(), 620.0);
    const auto after =
        ctl({"values", kA2l, at("set.hex"), "ve_map", "dead_time", "loop_on", "calibration_id", "--json"}).object();
    QVERIFY(std::abs(after["ve_map"].toObject()["values"].toArray()[2].toArray()[3].toDouble() - 55.56) < 0.011);
    QCOMPARE(after["dead_time"].toObject()["values"].toArray()[0].toDouble(), 1500.0);
    QCOMPARE(after["loop_on"].toObject()["text"].toString(), "off");
    QCOMPARE(after["calibration_id"].toObject()["value"].toString(), "HERON-TEST");
    for (const auto& [assignment, part] : {std::pair{"injector_flow=99999", "beyond its limits"},
                                           {"ve_map[99,0]=50", "no such cell"},
                                           {"ve_map[a]=50", "is not NAME=V"},
                                           {"nothing=1", "no parameter nothing"},
                                           {"injector_flow=many", "no number and no text"},
                                           {"injector_flow", "is not NAME=V"}}) {
        const Ran refused = ctl({"set", kA2l, at("original.hex"), "--out", at("refused.hex"), assignment});
        QCOMPARE(refused.code, 1);
        QVERIFY2(refused.err.contains(part), refused.err.constData());
        QVERIFY(!QFileInfo::exists(at("refused.hex")));
    }
}

void CtlTest::theWrongDefinitionIsSaid() {
    QFile out(at("other.a2l"));
    QVERIFY(out.open(QFile::WriteOnly));
    out.write(QByteArray::fromStdString(readText(kA2l.toStdString())).replace("AE2-5127-C04", "AE2-7777-Z99"));
    out.close();
    const Ran ran = ctl({"values", at("other.a2l"), at("original.hex")});
    QCOMPARE(ran.code, 1);
    QVERIFY2(ran.err.contains("is for software \"AE2-7777-Z99\", the image holds \"AE2-5127-C04\""),
             ran.err.constData());
}

void CtlTest::compareListsWhatDiffers() {
    const auto list = ctl({"compare", kA2l, at("original.hex"), at("set.hex"), "--json"}).array();
    QStringList names;
    for (const auto& entry : list)
        names << entry.toObject()["name"].toString();
    QCOMPARE(names.size(), 5);
    QVERIFY(names.contains("ve_map") && names.contains("calibration_id"));
    QVERIFY(ctl({"compare", kA2l, at("original.hex"), at("original.hex"), "--json"}).array().isEmpty());
}

void CtlTest::valuesGoOutAndInAsCdf() {
    const QString cdf = at("values.cdfx");
    const Ran out = ctl({"values", kA2l, at("original.hex"), "--cdf", cdf, "--json"});
    QVERIFY2(out.code == 0, out.err.constData());
    QVERIFY(out.object()["parameters"].toInt() > 100);
    QCOMPARE(ctl({"values", kA2l, at("original.hex"), "--cdf", cdf}).code, 1);  // not over what is there
    // One number changed in the file, as a text editor would.
    const std::string text = readText(cdf.toStdString());
    const size_t at0 = text.find("<SHORT-NAME>rev_limit</SHORT-NAME>");
    QVERIFY(at0 != std::string::npos);
    const size_t value = text.find("<V>", at0) + 3;
    std::string changed = text;
    changed.replace(value, changed.find('<', value) - value, "6400");
    QFile file(at("changed.cdfx"));
    QVERIFY(file.open(QIODevice::WriteOnly));
    file.write(QByteArray::fromStdString(changed));
    file.close();
    const Ran in = ctl({"set", kA2l, at("original.hex"), "--cdf", at("changed.cdfx"), "--out", at("from-cdf.hex")});
    QVERIFY2(in.code == 0, in.err.constData());
    const auto differences = ctl({"compare", kA2l, at("original.hex"), at("from-cdf.hex"), "--json"}).array();
    QCOMPARE(differences.size(), 1);
    QCOMPARE(differences[0].toObject()["name"].toString(), "rev_limit");
    QCOMPARE(ctl({"set", kA2l, at("original.hex"), "--out", at("nothing.hex")}).code, 2);
    const Ran broken = ctl({"set", kA2l, at("original.hex"), "--cdf", kA2l, "--out", at("broken.hex")});
    QVERIFY(broken.code == 1 && broken.err.contains("XML is broken"));
}

void CtlTest::valuesArePrintedInTheUnitsAskedFor() {
    const auto kPa =
        ctl({"values", kA2l, at("original.hex"), "boost_target", "--json"}).object()["boost_target"].toObject();
    const auto psi = ctl({"values", kA2l, at("original.hex"), "boost_target", "--units", "pressure=psi", "--json"})
                         .object()["boost_target"]
                         .toObject();
    QCOMPARE(psi["unit"].toString(), "psi");
    const auto first = [](const QJsonObject& o) { return o["values"].toArray()[0].toArray()[0].toDouble(); };
    QVERIFY(std::abs(first(kPa) / first(psi) - 6.894757) < 1e-5);
}

void CtlTest::aDonorsMapIsTakenOver() {
    const QString donor = at("transfer-donor.hex");
    QCOMPARE(ctl({"set", kA2l, at("original.hex"), "--out", donor, "ve_map[3,4]=77"}).code, 0);
    const Ran taken = ctl({"transfer", kA2l, at("original.hex"), kA2l, donor, "ve_map", "nothing", "--axes", "--out",
                           at("taken.hex"), "--json"});
    QCOMPARE(taken.code, 3);  // one of the two is not there
    const auto lines = taken.object()["parameters"].toArray();
    QVERIFY(lines[0].toObject()["cells"].toInt() > 0);
    QCOMPARE(lines[1].toObject()["outcome"].toString(), "not possible");
    const auto mine = ctl({"values", kA2l, at("taken.hex"), "ve_map", "--json"}).object()["ve_map"].toObject();
    const auto theirs = ctl({"values", kA2l, donor, "ve_map", "--json"}).object()["ve_map"].toObject();
    QCOMPARE(mine["values"].toArray(), theirs["values"].toArray());
}

void CtlTest::aDefinitionIsChangedCopiedAndWrittenAnew() {
    const Ran changed = ctl({"definition", "change", kA2l, "rev_limit", "--out", at("changed.a2l"), "--name",
                             "rpm_ceiling", "--describe", "where the fuel stops", "--group", "own"});
    QVERIFY2(changed.code == 0, changed.err.constData());
    const auto found = ctl({"definition", "list", at("changed.a2l"), "--find", "rpm ceiling", "--json"}).array();
    QCOMPARE(found[0].toObject()["description"].toString(), "where the fuel stops");
    QCOMPARE(found[0].toObject()["group"].toString(), "own");
    QCOMPARE(ctl({"definition", "check", at("changed.a2l")}).code, 0);
    QCOMPARE(ctl({"definition", "change", kA2l, "rev_limit", "--out", at("never.a2l"), "--name", "2 much"}).code, 1);
    // The other car's definition gets it, and one it has already is refused.
    const QString crane = BRUSK_DATA_DIR "/crane/aldine-e2-v6.a2l";
    const Ran copied = ctl({"definition", "copy", crane, at("changed.a2l"), "rpm_ceiling", "--out", at("more.a2l")});
    QVERIFY2(copied.code == 0, copied.err.constData());
    QCOMPARE(ctl({"definition", "list", at("more.a2l"), "--find", "rpm_ceiling", "--json"}).array().size(), 1);
    QVERIFY(ctl({"definition", "copy", at("more.a2l"), at("changed.a2l"), "rpm_ceiling", "--out", at("x.a2l")})
                .err.contains("all of this already"));
    QCOMPARE(ctl({"definition", "write", kA2l, at("anew.a2l")}).code, 0);
    const auto counts = [](const QString& file) {
        return ctl({"definition", "check", file, "--json"}).object()["counts"].toObject();
    };
    QCOMPARE(counts(at("anew.a2l")), counts(kA2l));
}

void CtlTest::identifyOverTheBench() {
    const auto object = ctl({"identify", "--link", "bench", "--json"}).object();
    QCOMPARE(object["profile"].toString(), "Aldine E2");
    QCOMPARE(object["identity"].toObject()["vin"].toString(), "FMKHR16T0E2004711");
    QCOMPARE(ctl({"identify", "--link", "telepathy"}).code, 1);
}

void CtlTest::obdNeedsNoProfile() {
    const auto object = ctl({"obd", "--link", "bench", "--json"}).object();
    const auto first = object["controllers"].toArray()[0].toObject();
    QCOMPARE(first["id"].toString(), "7E8");
    QCOMPARE(first["vin"].toString(), "FMKHR16T0E2004711");
    QVERIFY(first["values"].toArray().size() > 15 && object["codes"].toArray().isEmpty());
    // The stock calibration on other injectors sets codes, with the values of that moment.
    const auto driven = ctl({"obd", "--link", "bench", "--route", "survey", "--seconds", "200", "--json"}).object();
    QVERIFY(!driven["codes"].toArray().isEmpty());
    const auto frozen = driven["controllers"].toArray()[0].toObject()["freeze_frame"].toObject();
    QVERIFY(frozen["code"].toString().startsWith("P0") && frozen["values"].toArray().size() > 5);
    QVERIFY(ctl({"obd", "--link", "bench", "--route", "survey", "--seconds", "200", "--clear"})
                .out.contains("No trouble codes"));
}

void CtlTest::aCarIsReadIntoAFolderAndChecked() {
    const auto read = ctl({"read", "--link", "bench", "--car", at("heron"), "--quiet", "--json"}).object();
    QVERIFY(read["original"].toBool() && read["round"].toInt() == 0);
    QVERIFY(read["times_theoretical_least"].toDouble() >= 1 && read["times_theoretical_least"].toDouble() <= 1.03);
    QVERIFY(QFile::exists(at("heron") + "/original.hex"));
    const Ran check = ctl({"check", "--link", "bench", "--car", at("heron")});
    QCOMPARE(check.code, 0);
    QVERIFY(check.out.contains("The car runs round 0, as the ledger says."));
    QCOMPARE(ctl({"read", "--link", "bench"}).code, 2);
    QCOMPARE(ctl({"flash", "--link", "bench", "--car", at("heron"), "--round", "0", "--scope", "half"}).code, 1);
    const auto flash = ctl({"flash", "--link", "bench", "--car", at("heron"), "--round", "0", "--quiet", "--json"});
    QCOMPARE(flash.object()["sectors"].toInt(), 0);
}

void CtlTest::anInterruptedReadIntoAFileGoesOn() {
    QVERIFY(ctl({"read", "--link", "bench", "--calibration", "--out", at("resume-whole.hex"), "--quiet"}).code == 0);
    // What an interrupted read leaves: the beginning of the area.
    QVERIFY(ctl({"image", "convert", at("resume-whole.hex"), at("resume-whole.bin"), "--force"}).code == 0);
    const QByteArray all = QByteArray::fromStdString(readText(at("resume-whole.bin").toStdString()));
    QFile begun(at("resume-begun.bin"));
    QVERIFY(begun.open(QFile::WriteOnly) && begun.write(all.left(100000)) == 100000);
    begun.close();
    QVERIFY(ctl({"image", "convert", at("resume-begun.bin"), at("resume-begun.hex"), "--base", "0x8C0000"}).code == 0);
    QVERIFY(QFile::rename(at("resume-begun.hex"), at("resumed.hex.part")));
    const auto read =
        ctl({"read", "--link", "bench", "--calibration", "--out", at("resumed.hex"), "--quiet", "--json"}).object();
    QCOMPARE(read["bytes"].toInt(), 262144 - 100000);
    QVERIFY(!QFile::exists(at("resumed.hex.part")));
    QCOMPARE(readText(at("resumed.hex").toStdString()), readText(at("resume-whole.hex").toStdString()));
}

void CtlTest::aFlashTellsItsShareOfTheLeast() {
    QVERIFY(ctl({"read", "--link", "bench", "--out", at("share.hex"), "--quiet"}).code == 0);
    const Ran ran = ctl({"flash", at("share.hex"), "--link", "bench", "--scope", "calibration", "--quiet"});
    QVERIFY2(ran.out.contains("Wrote and read back 16 sectors, 262144 bytes in"), ran.out);
    QVERIFY(ran.out.contains("times the theoretical least"));
}

void CtlTest::noAnswerOnASocketIsSaid() {
    const Ran ran = ctl({"identify", "--link", "unix:" + at("nobody")});
    QCOMPARE(ran.code, 1);
    QVERIFY(ran.err.contains("Nobody listens on"));
}

void CtlTest::recordAndCellsWorkTogether() {
    const Ran sample = ctl({"record", "--link", "bench", "--route", "idle", "--seconds", "50", "--out", at("idle.mf4"),
                            "--channels", "spark", "--json"});
    QVERIFY2(sample.code == 0, sample.err.constData());
    QVERIFY(sample.object()["rows"].toInt() > 4900);
    QVERIFY(sample.object()["bus_load"].toDouble() > 0.02);
    QCOMPARE(sample.object()["ended"].toString(), "seconds");
    QVERIFY(sample.object()["gaps"].toArray().isEmpty() && sample.err.startsWith(at("idle.mf4").toUtf8()));
    // What can't be written is said before the work begins; with --force it is replaced.
    QCOMPARE(ctl({"record", "--link", "nowhere", "--out", at("idle.mf4")}).code, 1);
    QVERIFY(ctl({"record", "--link", "nowhere", "--out", at("idle.mf4")}).err.contains("use --force"));
    QCOMPARE(ctl({"record", "--link", "bench", "--seconds", "1", "--out", at("short.mf4")}).code, 0);
    QCOMPARE(ctl({"record", "--link", "bench", "--seconds", "2", "--out", at("short.mf4"), "--force"}).code, 0);
    QCOMPARE(ctl({"record", "--link", "bench"}).code, 2);
    const auto info = ctl({"recording", "info", at("idle.mf4"), "--json"}).object();
    QVERIFY(std::abs(info["duration_s"].toDouble() - 50) < 0.5);
    // The controller at two paces, the wideband, and what was learned.
    QCOMPARE(info["groups"].toArray().size(), 4);
    const Ran cells = ctl({"cells", at("idle.mf4"), "--x", "speed", "--x-breaks", "600,850,1200", "--y", "pressure",
                           "--y-breaks", "20,40", "--value", "lambda / lambda_asked * (1 + short_trim / 100)",
                           "--where", "fuel_cut == 0 && coolant > 60", "--fit", "--json"});
    QVERIFY2(cells.code == 0, cells.err.constData());
    const auto list = cells.object()["cells"].toArray();
    QCOMPARE(list.size(), 6);
    int counted = 0;
    for (const auto& cell : list)
        counted += cell.toObject()["count"].toInt();
    QVERIFY(counted > 3000);
    QCOMPARE(cells.object()["fit"].toObject()["factor"].toArray().size(), 6);
    QVERIFY(ctl({"cells", at("idle.mf4"), "--x", "speed", "--x-breaks", "1,2", "--value", "boost"})
                .err.contains("no channel \"boost\""));
    QVERIFY(ctl({"cells", at("idle.mf4"), "--x", "speed", "--x-breaks", "2,1", "--value", "speed"})
                .err.contains("must rise"));
}

void CtlTest::eventsAndFindingsOfARecordingAreTold() {
    QCOMPARE(
        ctl({"bench", "drive", "--route", "pulls-3", "--fault", "wastegate-stuck=0", "--out", at("over.mf4")}).code, 0);
    const Ran events = ctl({"events", at("over.mf4"), "--kind", "pull", "--json"});
    QVERIFY2(events.code == 0, events.err.constData());
    const auto pulls = events.object()["events"].toArray();
    QVERIFY(pulls.size() >= 3);
    const auto pull = pulls[0].toObject();
    QVERIFY(pull["kind"].toString() == "pull" && pull["recording"].toString() == at("over.mf4"));
    QVERIFY(pull["to_s"].toDouble() > pull["from_s"].toDouble() + 2);
    QVERIFY(pull["figures"].toObject()["overshoot_kpa"].toDouble() > 20 &&
            pull["figures"].toObject()["gear"].toDouble() == 3);
    const Ran findings = ctl({"findings", at("over.mf4"), "--json"});
    QVERIFY2(findings.code == 0, findings.err.constData());
    const auto first = findings.object()["findings"].toArray()[0].toObject();
    QCOMPARE(first["check"].toString(), "wastegate-stuck-shut");
    bool follows = false;
    for (const auto& one : findings.object()["findings"].toArray())
        follows = follows || (one.toObject()["check"].toString() == "overboost" &&
                              one.toObject()["because"].toString() == "wastegate-stuck-shut");
    QVERIFY(follows);
    QVERIFY(first["seriousness"].toString() == "danger" && first["where"].toArray().size() >= 3);
    QVERIFY(first["place"].toObject()["station"].toString() == "Car" && !first["todo"].toString().isEmpty());
    QVERIFY(findings.object()["looked"].toArray().size() > 10);
    QCOMPARE(ctl({"findings", at("over.mf4"), "--fail-on", "danger"}).code, 3);
    // Torque of its pulls, by the sheet's mass and drag; without a coast-down only differences mean something.
    QFile demoSheet(BRUSK_DATA_DIR "/heron/build-sheet.json"), ownSheet(at("sheet.json"));
    QVERIFY(demoSheet.open(QFile::ReadOnly) && ownSheet.open(QFile::WriteOnly));
    QByteArray sheet = demoSheet.readAll();
    const Ran lacks = ctl({"torque", at("over.mf4"), "--sheet", demoSheet.fileName()});
    QVERIFY2(lacks.code == 1 && lacks.err.contains("mass and drag area"), lacks.err.constData());
    sheet.insert(sheet.indexOf("\"tyre_circumference\""), "\"vehicle_mass\": 1310, \"drag_area\": 0.66, ");
    QVERIFY(ownSheet.write(sheet) > 100);
    ownSheet.close();
    const Ran torque = ctl({"torque", at("over.mf4"), "--sheet", at("sheet.json"), "--json"});
    QVERIFY2(torque.code == 0, torque.err.constData());
    const auto told = torque.object()["pulls"].toArray();
    QVERIFY(told.size() >= 3 && !told[0].toObject()["road_known"].toBool());
    const auto point = told[0].toObject()["points"].toArray()[5].toObject();
    QVERIFY(point["torque_nm"].toDouble() > 60 && point["band_nm"].toDouble() > 5);
    QCOMPARE(ctl({"torque", at("over.mf4"), "--sheet", at("nothing.json")}).code, 1);
    QCOMPARE(ctl({"prove", "findings", "--hours", "-1"}).code, 2);
    QCOMPARE(ctl({"propose", "air", at("over.mf4"), "--put-back", "nothing"}).code, 2);
    // What it can't look at is named.
    QCOMPARE(ctl({"bench", "drive", "--route", "idle", "--drop", "battery", "--out", at("blind.mf4")}).code, 0);
    const auto blind = ctl({"findings", at("blind.mf4"), "--json"}).object();
    bool named = false;
    for (const auto& one : blind["could_not"].toArray())
        named = named || (one.toObject()["check"].toString() == "battery-low" &&
                          one.toObject()["lacks"].toArray()[0].toString() == "battery");
    QVERIFY(named);
    QCOMPARE(ctl({"findings", at("blind.mf4"), "--fail-on", "danger"}).code, 0);
    const Ran little = ctl({"blame", at("over.mf4")});
    QVERIFY(little.code == 1 && little.err.contains("Too little settled driving"));
    QCOMPARE(ctl({"bench", "drive", "--route", "hills", "--fault", "exhaust-leak=0.8", "--out", at("leak.mf4")}).code,
             0);
    const auto blame = ctl({"blame", at("leak.mf4"), "--json"}).object();
    const auto parts = blame["parts"].toArray();
    QVERIFY(parts.size() > 10 && blame["cells"].toInt() > 4);
    const auto most = std::max_element(parts.begin(), parts.end(), [](const auto& a, const auto& b) {
        return a.toObject()["chance"].toDouble() < b.toObject()["chance"].toDouble();
    });
    QVERIFY2((*most).toObject()["suspect"].toString().startsWith("air in the exhaust"),
             qPrintable((*most).toObject()["suspect"].toString()));
    QVERIFY(ctl({"blame", at("leak.mf4"), "--rail-follows", "yes"}).out.contains("nothing is broken: "));
    QCOMPARE(ctl({"blame"}).code, 2);
    QCOMPARE(ctl({"blame", at("leak.mf4"), "--poured", "0"}).code, 2);
    QCOMPARE(ctl({"blame", at("over.mf4"), "--rail-follows", "maybe"}).code, 2);
    QCOMPARE(ctl({"findings"}).code, 2);
    QCOMPARE(ctl({"events"}).code, 2);
    QCOMPARE(ctl({"events", at("nothing.mf4")}).code, 1);
    QCOMPARE(ctl({"events", at("blind.mf4"), "--kind", "nothing"}).code, 2);
}

void CtlTest::aFolderTellsItsRoundsAndRecordings() {
    const QString car = at("told");
    QCOMPARE(ctl({"read", "--link", "bench", "--car", car, "--quiet"}).code, 0);
    const Ran drive = ctl({"record", "--link", "bench", "--car", car, "--route", "idle", "--seconds", "10", "--fuel",
                           "RON 98", "--where", "road", "--json"});
    QVERIFY2(drive.code == 0, drive.err.constData());
    QCOMPARE(drive.object()["round"].toInt(-1), 0);
    const Ran made = ctl({"set", "--car", car, "--make", "Less", "rev_limit=6400", "--json"});
    QVERIFY2(made.code == 0, made.err.constData());
    QCOMPARE(made.object()["round"].toInt(), 1);
    const auto rounds = ctl({"rounds", "--car", car, "--json"}).object()["rounds"].toArray();
    QCOMPARE(rounds.size(), 2);
    QCOMPARE(rounds[0].toObject()["title"].toString(), "Less");
    QVERIFY(rounds[0].toObject()["state"] == "draft" && rounds[0].toObject()["parent"] == 0);
    QVERIFY(rounds[1].toObject()["state"] == "original" && rounds[1].toObject()["in_car"].toBool());
    QCOMPARE(rounds[1].toObject()["image_sha256"], drive.object()["image_sha256"]);
    const auto list = ctl({"recording", "list", "--car", car, "--json"}).object()["recordings"].toArray();
    QCOMPARE(list.size(), 1);
    QVERIFY(list[0].toObject()["state"] == "whole" && list[0].toObject()["round"] == 0);
    QVERIFY(std::abs(list[0].toObject()["duration_s"].toDouble() - 10) < 0.2);
    QCOMPARE(ctl({"set", "--car", car, "rev_limit=6400"}).code, 2);
    QCOMPARE(ctl({"set", "--car", car, "--make", "x", "rev_limit=99999"}).code, 1);
    QCOMPARE(ctl({"rounds", "--car", at("nowhere")}).code, 1);
    const auto next = ctl({"next", "--car", car, "--json"}).object();
    QCOMPARE(next["step"].toString(), "flash");
    QVERIFY(next["station"] == "Flash" && next["place"].toObject()["round"] == 1);
    QVERIFY(ctl({"next", "--car", car}).out.contains("Flash round 1"));
}

void CtlTest::aRecordingEndsCleanlyBySignalAndIsRecoveredAfterAKill() {
    const QString car = at("signalled"), link = "unix:" + at("signalled.sock");
    QProcess bench;
    bench.start(kBin + "/brusk-benchcar", {"--link", link, "--route", "town"});
    QVERIFY(bench.waitForStarted());
    QTRY_VERIFY(QFile::exists(at("signalled.sock")));
    QCOMPARE(ctl({"read", "--link", "bench", "--car", car, "--quiet"}).code, 0);
    for (const bool kill : {false, true}) {
        QProcess recorder;
        recorder.start(kBin + "/bruskctl", {"record", "--link", link, "--car", car, "--json"});
        QVERIFY(recorder.waitForStarted());
        QByteArray said;
        QTRY_VERIFY_WITH_TIMEOUT((said += recorder.readAllStandardError()).contains(".mf4"), 20000);
        QTest::qWait(2500);
        kill ? recorder.kill() : recorder.terminate();
        QVERIFY(recorder.waitForFinished(10000));
        if (!kill) {
            const auto told = QJsonDocument::fromJson(recorder.readAllStandardOutput()).object();
            QVERIFY(told["ended"] == "signal" && told["duration_s"].toDouble() > 2);
        }
    }
    QCOMPARE(ctl({"check", "--link", link, "--car", car}).code, 0);  // whoever opens it to work takes it in
    const auto list = ctl({"recording", "list", "--car", car, "--json"}).object()["recordings"].toArray();
    QCOMPARE(list.size(), 2);
    QVERIFY(list[0].toObject()["state"] == "whole" && list[1].toObject()["state"] == "recovered");
    QVERIFY(list[1].toObject()["duration_s"].toDouble() > 1.0 && list[1].toObject()["round"] == 0);
    bench.terminate();
    QVERIFY(bench.waitForFinished());
}

void CtlTest::failuresAreOneJsonDocumentToo() {
    const Ran missing = ctl({"image", "info", at("not-there.hex"), "--json"});
    QCOMPARE(missing.code, 1);
    const auto error = missing.object()["error"].toObject();
    QVERIFY(error["code"] == "not-found" && error["file"].toString().endsWith("not-there.hex"));
    QVERIFY(error["sentence"].toString() + "\n" == QString::fromUtf8(missing.err));
    const Ran wrong = ctl({"flash", "--link", "bench", "--json"});
    QCOMPARE(wrong.code, 2);
    QVERIFY(!wrong.object()["error"].toObject()["sentence"].toString().isEmpty());
    // A name that is no UTF-8 is mended in the document, not thrown at.
    QProcess process;
    process.start("/bin/sh", {"-c", kBin + "/bruskctl image info \"$(printf 'M\\374ller.hex')\" --json"});
    QVERIFY(process.waitForFinished() && process.exitCode() == 1);
    QVERIFY(QJsonDocument::fromJson(process.readAllStandardOutput()).object().contains("error"));
    QFile broken(at("broken.mf4"));
    QVERIFY(broken.open(QFile::WriteOnly) && broken.write(QByteArray(100, 'x')) == 100);
    broken.close();
    const auto place = ctl({"recording", "info", at("broken.mf4"), "--json"}).object()["error"].toObject();
    QVERIFY(place["file"].toString().endsWith("broken.mf4") && place.contains("offset"));
}

void CtlTest::theWindowsHelpNeedsNoDisplay() {
    QProcess window;
    auto environment = QProcessEnvironment::systemEnvironment();
    for (const char* name : {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"})
        environment.remove(name);
    window.setProcessEnvironment(environment);
    window.start(kBin + "/brusk", {"--help"});
    QVERIFY(window.waitForFinished() && window.exitStatus() == QProcess::NormalExit && window.exitCode() == 0);
    QVERIFY(window.readAllStandardOutput().contains("car folder"));
}

void CtlTest::theStockCarStoresARichCode() {
    const auto codes = ctl({"dtc", "--link", "bench", "--route", "survey", "--seconds", "200", "--json"}).array();
    QCOMPARE(codes.size(), 1);
    QCOMPARE(codes[0].toObject()["code"].toString(), "P0172-00");
    QVERIFY(ctl({"dtc", "--link", "bench"}).out.contains("No trouble codes"));
}

void CtlTest::flashOverTheSocketToTheBenchCarProcess() {
    const QString socket = at("bus");
    QProcess car;
    car.start(kBin + "/brusk-benchcar", {"--link", "unix:" + socket});
    QVERIFY(car.waitForStarted());
    QTRY_VERIFY_WITH_TIMEOUT(QFileInfo::exists(socket), 5000);
    const QString link = "unix:" + socket;
    QCOMPARE(ctl({"identify", "--link", link, "--json"}).object()["identity"].toObject()["serial"].toString(),
             "E2-0098-4417");
    const Ran flash = ctl({"flash", at("set.hex"), "--link", link, "--json", "--quiet"});
    QVERIFY2(flash.code == 0, flash.err.constData());
    QCOMPARE(flash.object()["sectors"].toInt(), 4);  // identity, air, fuel and loop
    const Ran read = ctl({"read", "--calibration", "--link", link, "--out", at("back.hex"), "--quiet"});
    QVERIFY2(read.code == 0, read.err.constData());
    QCOMPARE(ctl({"values", kA2l, at("set.hex"), "injector_flow", "--json"})
                 .object()["injector_flow"]
                 .toObject()["value"]
                 .toDouble(),
             620.0);
    const Ran again = ctl({"flash", at("set.hex"), "--link", link, "--quiet"});
    QVERIFY(again.out.contains("holds these bytes already"));
    for (const auto& [option, value, said] : {std::tuple{"--fault", "soul:dead", "there is no such sensor"},
                                              {"--visit", "fast", "is no cell; write RPM:KPA"},
                                              {"--route", "moon", "There is no route"},
                                              {"--car", "cart", "There is no car"}}) {
        QProcess refused;
        refused.start(kBin + "/brusk-benchcar", {"--link", "unix:" + at("other"), option, value});
        QVERIFY(refused.waitForFinished(5000));
        QCOMPARE(refused.exitCode(), 2);
        QVERIFY2(refused.readAllStandardError().contains(said), said);
    }
    // A second bench car may not take the same socket.
    QProcess second;
    second.start(kBin + "/brusk-benchcar", {"--link", link});
    QVERIFY(second.waitForFinished(5000));
    QVERIFY(second.readAllStandardError().contains("Somebody listens"));
    car.terminate();
    QVERIFY(car.waitForFinished(5000));
    QVERIFY(!QFileInfo::exists(socket));
}

void CtlTest::theBenchCarProcessIsKilledInAFlash() {
    const QString socket = at("bus2");
    QProcess car, flash;
    car.start(kBin + "/brusk-benchcar", {"--link", "unix:" + socket});
    QTRY_VERIFY_WITH_TIMEOUT(QFileInfo::exists(socket), 5000);
    flash.start(kBin + "/bruskctl", {"flash", at("set.hex"), "--link", "unix:" + socket});
    QVERIFY(flash.waitForStarted());
    QByteArray told;
    const auto writing = [&] {
        told += flash.readAllStandardError();
        return told.contains("Writing");
    };
    QTRY_VERIFY_WITH_TIMEOUT(writing(), 10000);
    car.kill();
    QVERIFY(car.waitForFinished(5000));
    QVERIFY(flash.waitForFinished(20000));
    QCOMPARE(flash.exitCode(), 1);
    told += flash.readAllStandardError();
    QVERIFY2(told.contains("Flash again to finish it"), told.constData());
    // The socket of the dead process does not stand in the way of the next.
    car.start(kBin + "/brusk-benchcar", {"--link", "unix:" + socket});
    QTRY_COMPARE_WITH_TIMEOUT(ctl({"identify", "--link", "unix:" + socket}).code, 0, 10000);
    car.terminate();
    QVERIFY(car.waitForFinished(5000));
}

void CtlTest::theBenchCarProcessStandsInItsDrawnWeather() {
    const QString socket = at("drawn");
    const auto pressure = [&](const QStringList& more) {
        QProcess car;
        car.start(kBin + "/brusk-benchcar", QStringList{"--link", "unix:" + socket} + more);
        const bool up = QTest::qWaitFor([&] { return QFileInfo::exists(socket); }, 5000);
        const auto last =
            ctl({"record", "--link", "unix:" + socket, "--out", at("drawn.mf4"), "--force", "--seconds", "1", "--json"})
                .object()["last"]
                .toObject();
        car.terminate();
        return up && car.waitForFinished(5000) ? last["pressure"].toObject()["value"].toDouble() : 0;
    };
    // The engine stands: its manifold holds the weather's pressure, as the sensor shows it.
    const double book = pressure({}), drawn = pressure({"--drawn", "--seed", "3"});
    const double told = pressure({"--drawn", "--seed", "3", "--pressure", "101.3"});
    QVERIFY2(book > 50 && drawn > 50 && std::abs(drawn / book - 1) > 0.05, qPrintable(QString::number(drawn)));
    QVERIFY2(std::abs(told / book - 1) < 0.02, qPrintable(QString::number(told)));
}

void CtlTest::theBaseIsComputedFromFiles() {
    const QStringList base{"base", kA2l, at("original.hex"), "--sheet", qs(BRUSK_DATA_DIR "/heron/build-sheet.json")};
    const QJsonObject told = ctl(base + QStringList{"--out", at("base.hex"), "--json"}).object();
    QVERIFY(told["proposals"].toArray().size() >= 18 && told["contradictions"].toArray().isEmpty());
    QCOMPARE(told["stages"].toArray().size(), 4);
    const auto flow = ctl({"values", kA2l, at("base.hex"), "injector_flow", "--json"}).object();
    QVERIFY(std::abs(flow["injector_flow"].toObject()["value"].toDouble() - 669.7) < 0.1);
    // One left out; one that is not there; nonsense on the sheet.
    const auto without = ctl(base + QStringList{"--leave-out", "tyres", "--json"}).object();
    for (const auto& p : without["proposals"].toArray())
        if (p.toObject()["id"] == "tyres") QVERIFY(!p.toObject()["accepted"].toBool());
    QCOMPARE(ctl(base + QStringList{"--leave-out", "wings"}).code, 1);
    QFile sheet(at("sheet.json"));
    QVERIFY(sheet.open(QIODevice::WriteOnly));
    sheet.write("{\"fitted\": {\"ethanol\": 150}}");
    sheet.close();
    // A donor's offers wait for a yes; taken, the rules go on from its parts.
    const QStringList withDonor = base + QStringList{"--donor", qs(BRUSK_DATA_DIR "/heron/heron-s-donor.hex")};
    const Ran offered = ctl(withDonor);
    QVERIFY(offered.out.contains("Suggested: donor_boost.") && offered.out.contains("Offered: donor_filling."));
    const Ran taken = ctl(withDonor + QStringList{"--take", "donor_meter"});
    QVERIFY(taken.out.contains("(82.0 mm / 76.0 mm)^2") && !taken.out.contains("Suggested: donor_meter"));
    QCOMPARE(ctl(withDonor + QStringList{"--take", "donor_wings"}).code, 1);
    QCOMPARE(ctl(base + QStringList{"--donor", at("nothing.hex")}).code, 1);
    // Parts of the library by their names.
    QVERIFY(ctl({"parts"}).out.contains("Injectors  Brindal 880  Rated flow 880 cm3/min"));
    QVERIFY(ctl(base + QStringList{"--fit", "Brindal 880"}).out.contains("880 cm3/min x sqrt(350 kPa / 300 kPa)"));
    QCOMPARE(ctl(base + QStringList{"--fit", "Wings"}).code, 1);
    const Ran refused = ctl({"base", kA2l, at("original.hex"), "--sheet", at("sheet.json")});
    QVERIFY(refused.code == 1 && refused.err.contains("0 to 100 %"));
}

QTEST_GUILESS_MAIN(CtlTest)
#include "CtlTest.moc"
