// Guessing what a parameter means to the engine by its name, unit and shape, where its definition does not say.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "Expect.h"
#include "core/definition/A2lReader.h"
#include "core/definition/A2lWriter.h"
#include "core/definition/Roles.h"
#include "core/roles/Likeness.h"
#include "core/roles/Purposes.h"

using namespace brusk;
using namespace brusk::definition;

namespace {

Definition read(const std::string& text) {
    auto contents = readA2l(text);
    if (!contents) qFatal("%s", contents.error().text().c_str());
    return std::move(contents->definition);
}

Definition heron() {
    return read(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
}

/// The Heron's definition as it would come from somebody who knows nothing of roles.
Definition withoutRoles(const Definition& d) {
    std::vector<std::pair<std::string, std::string>> none;
    for (const auto& p : d.parameters)
        if (!p.role.empty()) none.emplace_back(p.name, "");
    for (const auto& m : d.measurements)
        if (!m.role.empty()) none.emplace_back(m.name, "");
    const auto text = withRoles(d, none);
    if (!text) qFatal("%s", text.error().text().c_str());
    return read(*text);
}

/// A definition of strange names around one value, with this unit.
Definition strange(const std::string& name, const std::string& description, const std::string& unit) {
    return read("/begin PROJECT P \"\" /begin MODULE M \"\" /begin COMPU_METHOD c \"\" LINEAR \"%6.2\" \"" + unit +
                "\" COEFFS_LINEAR 1 0 /end COMPU_METHOD /begin RECORD_LAYOUT word FNC_VALUES 1 UWORD ROW_DIR DIRECT "
                "/end RECORD_LAYOUT /begin CHARACTERISTIC " +
                name + " \"" + description +
                "\" VALUE 0x10 word 0 c 0 65535 /end CHARACTERISTIC "
                "/end MODULE /end PROJECT");
}

}  // namespace

class RolesTest : public QObject {
    Q_OBJECT
  private slots:
    void mostRolesAreFoundByNameUnitAndShape();
    void whoHasARoleIsNotOfferedAnother();
    void aStrangersNamesAreUnderstood_data();
    void aStrangersNamesAreUnderstood();
    void anotherQuantityIsNeverOffered();
    void theGuessSaysWhy();
    void manyRolesAreGivenAtOnceAndNothingElseChanges();
    void everyRoleOfTheDemoIsInTheTableWithItsShapeAndQuantity();
    void noIdStandsTwiceInATable();
    void needsAskParametersForParametersAndChannelsForChannels();
    void everyKindAndEveryCheckServesAPurpose();
    void noTwoChannelsHaveOneTitle();
    void aStrangersRecordingTellsItsRolesByNameAndUnit();
};

void RolesTest::mostRolesAreFoundByNameUnitAndShape() {
    const Definition named = heron(), bare = withoutRoles(named);
    int asked = 0, first = 0, offered = 0;
    for (const roles::Meaning& role : roles::known()) {
        std::string right;
        if (role.measured()) {
            if (const auto* m = named.measurementWithRole(*roles::Role::named(role.id))) right = m->name;
        } else if (const auto* p = named.parameterWithRole(*roles::Role::named(role.id))) {
            right = p->name;
        }
        if (right.empty()) continue;
        ++asked;
        const auto guesses = guessRole(bare, role, 6);
        const auto nameOf = [&](const RoleGuess& guess) {
            return role.measured() ? bare.measurements[guess.index].name : bare.parameters[guess.index].name;
        };
        first += !guesses.empty() && nameOf(guesses.front()) == right;
        const bool among =
            std::any_of(guesses.begin(), guesses.end(), [&](const auto& guess) { return nameOf(guess) == right; });
        offered += among;
        if (!among) qInfo("%s is not offered for %s", right.c_str(), std::string(role.id).c_str());
    }
    qInfo("%d roles: %d first, %d offered", asked, first, offered);
    QVERIFY(asked > 60);
    QVERIFY(offered * 10 >= asked * 9);
    QVERIFY(first * 4 >= asked * 3);
}

void RolesTest::whoHasARoleIsNotOfferedAnother() {
    const Definition d = heron();
    for (const auto& missing : missingRoles(d, 6)) {
        QVERIFY(!missing.guesses.empty());
        for (const auto& guess : missing.guesses)
            QVERIFY(missing.role->measured() ? d.measurements[guess.index].role.empty()
                                             : d.parameters[guess.index].role.empty());
    }
}

void RolesTest::aStrangersNamesAreUnderstood_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QString>("description");
    QTest::addColumn<QString>("unit");
    QTest::addColumn<QString>("role");
    QTest::newRow("run together") << "injFlowRate"
                                  << "static flow"
                                  << "l/h"
                                  << "injector_flow";
    QTest::newRow("in the description") << "K_1034"
                                        << "rev limit, fuel cut"
                                        << "1/min"
                                        << "rev_limit";
    QTest::newRow("another unit") << "BOOST_CUT"
                                  << ""
                                  << "bar"
                                  << "boost_cut";
    QTest::newRow("no unit") << "stoich_ratio"
                             << ""
                             << ""
                             << "stoichiometric_ratio";
}

void RolesTest::aStrangersNamesAreUnderstood() {
    QFETCH(QString, name);
    QFETCH(QString, description);
    QFETCH(QString, unit);
    QFETCH(QString, role);
    const Definition d = strange(name.toStdString(), description.toStdString(), unit.toStdString());
    const auto* meaning = roles::meaningOf(role.toStdString());
    QVERIFY(meaning);
    QCOMPARE(guessRole(d, *meaning, 3).size(), size_t{1});
}

void RolesTest::anotherQuantityIsNeverOffered() {
    // The words fit; kilopascals are no engine speed.
    const Definition d = strange("rev_limit", "rev limit", "kPa");
    QVERIFY(guessRole(d, roles::Role("rev_limit").meaning(), 3).empty());
}

void RolesTest::theGuessSaysWhy() {
    const Definition d = strange("rev_limit", "", "rpm");
    const auto guesses = guessRole(d, roles::Role("rev_limit").meaning(), 3);
    QCOMPARE(guesses.size(), size_t{1});
    QCOMPARE(qs(guesses[0].reason), QString("\"rev\", \"limit\"; unit rpm"));
}

void RolesTest::manyRolesAreGivenAtOnceAndNothingElseChanges() {
    const Definition d = heron();
    const auto text = withRoles(d, {{"stoich", "other"}, {"axis_speed", "breakpoints"}, {"ve_map", ""}});
    EXPECT_OK(text);
    const Definition again = read(*text);
    QCOMPARE(qs(again.parameter("stoich")->role), QString("other"));
    QCOMPARE(qs(again.parameter("axis_speed")->role), QString("breakpoints"));
    QVERIFY(again.parameter("ve_map")->role.empty());
    const auto back = withRoles(again, {{"stoich", "stoichiometric_ratio"}, {"axis_speed", ""}, {"ve_map", "ve_map"}});
    EXPECT_OK(back);
    QCOMPARE(qs(firstDifference(read(*back), d)), QString());
    EXPECT_FAILS(withRoles(d, {{"nobody", "x"}}), "nobody");
    EXPECT_FAILS(withRoles(d, {{"ve_map", "one"}, {"ve_map", "other"}}), "two roles");
}

void RolesTest::everyRoleOfTheDemoIsInTheTableWithItsShapeAndQuantity() {
    for (const char* file : {"/heron/aldine-e2.a2l", "/crane/aldine-e2-v6.a2l"}) {
        const Definition d = read(readText(std::string(BRUSK_DATA_DIR) + file));
        for (const auto& p : d.parameters) {
            if (p.role.empty()) continue;
            const auto* meaning = roles::meaningOf(p.role);
            QVERIFY2(meaning, p.role.c_str());
            QVERIFY2(shapeOf(p) == meaning->shape, p.role.c_str());
            QVERIFY2(roles::unitFits(d.unitOf(p), meaning->unit) >= 0.5, p.role.c_str());
        }
        for (const auto& m : d.measurements) {
            if (m.role.empty()) continue;
            const auto* meaning = roles::meaningOf(m.role);
            QVERIFY2(meaning && meaning->measured(), m.role.c_str());
            QVERIFY2(roles::unitFits(d.unitOf(m), meaning->unit) >= 0.5, m.role.c_str());
        }
    }
}

void RolesTest::noIdStandsTwiceInATable() {
    std::set<std::string_view> roles, kinds, checks;
    for (const auto& meaning : roles::known())
        QVERIFY2(roles.insert(meaning.id).second, std::string(meaning.id).c_str());
    for (const auto& need : roles::kKindNeeds)
        QVERIFY2(kinds.insert(need.id).second, std::string(need.id).c_str());
    for (const auto& need : roles::kCheckNeeds)
        QVERIFY2(checks.insert(need.id).second, std::string(need.id).c_str());
}

void RolesTest::needsAskParametersForParametersAndChannelsForChannels() {
    const auto check = [](std::span<const roles::Need> table) {
        for (const auto& need : table) {
            for (const roles::Role role : need.parameters)
                QVERIFY2(!role.meaning().measured(), std::string(need.id).c_str());
            for (const auto& list : {need.channels, need.helped})
                for (const roles::Role role : list)
                    QVERIFY2(role.meaning().measured(), std::string(need.id).c_str());
            QVERIFY2(need.channels.size() > 0, std::string(need.id).c_str());
        }
    };
    check(roles::kKindNeeds);
    check(roles::kCheckNeeds);
}

void RolesTest::everyKindAndEveryCheckServesAPurpose() {
    std::set<const roles::Need*> served;
    std::set<std::string_view> ids;
    for (const roles::Purpose& purpose : roles::kPurposes) {
        QVERIFY(ids.insert(purpose.id).second && roles::purposeOf(purpose.id) == &purpose);
        served.insert(purpose.kinds.begin(), purpose.kinds.end());
        served.insert(purpose.checks.begin(), purpose.checks.end());
    }
    for (const auto& table : {std::span<const roles::Need>(roles::kKindNeeds), {roles::kCheckNeeds}})
        for (const roles::Need& need : table)
            QVERIFY2(served.count(&need), std::string(need.id).c_str());
    QVERIFY(!roles::purposeOf("parking"));
}

void RolesTest::noTwoChannelsHaveOneTitle() {
    std::set<std::string_view> titles;
    for (const auto& role : roles::known())
        if (role.measured()) QVERIFY2(titles.insert(role.title).second, std::string(role.title).c_str());
    QVERIFY(titles.size() > 50);
}

void RolesTest::aStrangersRecordingTellsItsRolesByNameAndUnit() {
    const auto roleOf = [](const char* name, const char* unit) {
        const auto role = roles::likeliestChannel({name, "", "", unit});
        return role ? std::string(role->role.id()) : std::string();
    };
    QCOMPARE(roleOf("Engine RPM", "1/min"), std::string("engine_speed"));
    QCOMPARE(roleOf("Manifold pressure", "mbar"), std::string("manifold_pressure"));
    QCOMPARE(roleOf("Coolant temp", "\u00b0F"), std::string("coolant"));
    QCOMPARE(roleOf("Vehicle speed", "mph"), std::string("vehicle_speed"));
    QCOMPARE(roleOf("Wideband lambda", "lambda"), std::string("lambda_measured"));
    QCOMPARE(roleOf("Trunk lamp", ""), std::string());
}

QTEST_APPLESS_MAIN(RolesTest)
#include "RolesTest.moc"
