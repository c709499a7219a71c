// Finding parameters by any part of what is known of them, with typing errors, best first.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "Expect.h"
#include "core/base/Text.h"
#include "core/definition/A2lReader.h"
#include "core/definition/Finder.h"

using namespace brusk;
using namespace brusk::definition;

namespace {

std::shared_ptr<const Definition> heron() {
    auto contents = readA2l(readText(BRUSK_DATA_DIR "/heron/aldine-e2.a2l"));
    if (!contents) qFatal("%s", contents.error().text().c_str());
    return std::make_shared<const Definition>(std::move(contents->definition));
}

}  // namespace

class FinderTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() { definition_ = heron(), finder_ = std::make_unique<Finder>(definition_); }
    void anyPartOfAnythingFinds_data();
    void anyPartOfAnythingFinds();
    void everyWordMustBeThere();
    void theNameComesBeforeTheDescription();
    void aSlipOfTheFingerStillFinds_data();
    void aSlipOfTheFingerStillFinds();
    void whatIsFoundAsTypedIsNotGuessed();
    void itAgreesWithAPlainSearchThroughEverything();
    void oddTextsFindNothingAndHurtNobody();
    void distancesAreThoseOfThePlainAlgorithm();

  private:
    std::string first(const std::string& text) const {
        const auto found = finder_->find(text, 10);
        return found.hits.empty() ? "" : definition_->parameters[found.hits[0].parameter].name;
    }
    std::shared_ptr<const Definition> definition_;
    std::unique_ptr<Finder> finder_;
};

void FinderTest::anyPartOfAnythingFinds_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("role");
    QTest::newRow("name") << "ve_map"
                          << "ve_map";
    QTest::newRow("part of a word") << "volumet"
                                    << "ve_map";
    QTest::newRow("two words") << "rev limit"
                               << "rev_limit";
    QTest::newRow("the other way round") << "limit rev"
                                         << "rev_limit";
    QTest::newRow("capitals") << "REV LIMIT"
                              << "rev_limit";
}

void FinderTest::anyPartOfAnythingFinds() {
    QFETCH(QString, text);
    QFETCH(QString, role);
    const Parameter* wanted = definition_->parameterWithRole(*roles::Role::named(role.toStdString()));
    QVERIFY(wanted);
    QCOMPARE(qs(first(text.toStdString())), qs(wanted->name));
    // By its address, with and without 0x.
    char address[16];
    std::snprintf(address, sizeof address, "%X", wanted->address);
    bool byAddress = false;
    for (const auto& hit : finder_->find("0x" + std::string(address), 10).hits)
        byAddress |= &definition_->parameters[hit.parameter] == wanted;
    QVERIFY(byAddress);
}

void FinderTest::everyWordMustBeThere() {
    const auto one = finder_->find("boost", 1000), two = finder_->find("boost target", 1000);
    QVERIFY(two.total > 0 && two.total < one.total);
    QCOMPARE(finder_->find("boost zebra", 10).total, size_t{0});
}

void FinderTest::theNameComesBeforeTheDescription() {
    const auto found = finder_->find("knock", 1000);
    QVERIFY(found.total > 3);
    bool described = false;
    for (const auto& hit : found.hits) {
        const Parameter& p = definition_->parameters[hit.parameter];
        const bool named = toLower(p.name + p.title()).find("knock") != std::string::npos;
        QVERIFY2(!(named && described), p.name.c_str());
        described |= !named;
    }
}

void FinderTest::aSlipOfTheFingerStillFinds_data() {
    QTest::addColumn<QString>("text");
    for (const char* text : {"volumetrc", "volmetric", "volumetrix effic", "volumetirc"})
        QTest::newRow(text) << text;
}

void FinderTest::aSlipOfTheFingerStillFinds() {
    QFETCH(QString, text);
    const auto found = finder_->find(text.toStdString(), 5);
    QVERIFY(found.guessed);
    bool there = false;
    for (const auto& hit : found.hits)
        there |= definition_->parameters[hit.parameter].role == "ve_map";
    QVERIFY(there);
}

void FinderTest::whatIsFoundAsTypedIsNotGuessed() {
    QVERIFY(!finder_->find("boost", 5).guessed);
    QVERIFY(!finder_->find("xqzv", 5).guessed);
}

void FinderTest::itAgreesWithAPlainSearchThroughEverything() {
    for (const char* word : {"fuel", "idle", "kpa", "limit", "e2", "temp", "spark"}) {
        size_t plain = 0;
        for (const Parameter& p : definition_->parameters) {
            const Group* group = definition_->groupOf(p);
            char address[16];
            std::snprintf(address, sizeof address, "%x", p.address);
            const std::string all =
                toLower(p.name + " " + p.label + " " + p.description + " " + p.role + " " + definition_->unitOf(p) +
                        " " + address + " " + (group ? group->name + " " + definition_->groupPath(*group) : ""));
            plain += all.find(word) != std::string::npos;
        }
        QCOMPARE(finder_->find(word, 5).total, plain);
    }
}

void FinderTest::oddTextsFindNothingAndHurtNobody() {
    for (const std::string& text :
         {std::string(), std::string("   "), std::string("\0\0", 2), std::string("0x"), std::string(5000, 'q'),
          std::string("\xFF\xFE\x80"), std::string("a b c d e f g h i j k l m")})
        QVERIFY(finder_->find(text, 5).total <= definition_->parameters.size());
    const Finder empty(std::make_shared<const Definition>());
    QCOMPARE(empty.find("x", 5).total, size_t{0});
}

void FinderTest::distancesAreThoseOfThePlainAlgorithm() {
    const auto plain = [](std::string_view word, std::string_view text) {
        std::vector<int> row(word.size() + 1);
        for (size_t i = 0; i <= word.size(); ++i)
            row[i] = static_cast<int>(i);
        int least = row.back();
        for (size_t t = 0; t < text.size() && t < word.size() + 4; ++t) {
            int diagonal = row[0];
            row[0] = static_cast<int>(t + 1);
            for (size_t i = 1; i <= word.size(); ++i) {
                const int above = row[i];
                row[i] = std::min({above + 1, row[i - 1] + 1, diagonal + (word[i - 1] != text[t])});
                diagonal = above;
            }
            least = std::min(least, row.back());
        }
        return least;
    };
    unsigned state = 1;
    const auto letter = [&] { return static_cast<char>('a' + ((state = state * 1103515245 + 12345) >> 16) % 4); };
    for (int round = 0; round < 3000; ++round) {
        std::string word, text;
        for (int i = 0; i < 3 + round % 9; ++i)
            word += letter();
        for (int i = 0; i < round % 14; ++i)
            text += letter();
        QCOMPARE(PrefixDistance(word).to(text), plain(word, text));
    }
}

QTEST_APPLESS_MAIN(FinderTest)
#include "FinderTest.moc"
