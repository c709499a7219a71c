// Keys, cards and envelopes: what is sealed is opened by whom it was sealed to, and by nobody else, and not when a byte
// of it is another.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QRegularExpression>
#include <random>

#include "Expect.h"
#include "core/deliver/Lines.h"
#include "core/deliver/Pieces.h"
#include "core/deliver/Sealed.h"

using namespace brusk;
using namespace brusk::deliver;

namespace {

constexpr const char* kMade = "2026-11-28T12:00:00Z";
constexpr size_t kChunk = 65536, kOfChunk = 17, kStreamHead = 24;

/// Somebody with a key, a data folder and trusted cards, all in memory.
struct Somebody {
    storage::MemoryFileSystem files;
    Home home{files, "/home/brusk"};
    Key key;
    explicit Somebody(const std::string& name, const std::string& passphrase = {})
        : key(home.makeKey(name, passphrase).value()) {}
    const Card& card() const { return key.card(); }
};

Bytes randomBytes(size_t count, unsigned seed = 7) {
    std::mt19937 random(seed);
    Bytes out(count);
    for (uint8_t& byte : out)
        byte = static_cast<uint8_t>(random());
    return out;
}

std::string refusalOf(const auto& result) {
    return result ? "opened" : result.error().refused ? result.error().refused : "failed: " + result.error().text();
}

size_t headEnd(ByteSpan file) {
    return 16 + loadUnsigned(file.data() + 12, 4, ByteOrder::LittleEndian) + 64;
}

}  // namespace

class DeliverTest : public QObject {
    Q_OBJECT
  private slots:
    void aKeyIsReadBackAndProtectedByItsPassphrase();
    void aKeyFileOfAnotherKindSaysWhy_data();
    void aKeyFileOfAnotherKindSaysWhy();
    void aKeyIsNeverWrittenOver();
    void aCardSurvivesThePostAndNotAForger();
    void theFingerprintIsOfBothKeysAndReadInGroupsOfFive();
    void aCardIsTrustedOnceAndAChangeIsSaidLoudly();
    void anEnvelopeIsOpenedByWhomItWasSealedTo();
    void everyChangedByteOfAnEnvelopeIsRefused();
    void anEnvelopeCutAnywhereIsRefused();
    void chunksAndHeadsOfOthersAreRefused();
    void whoCanOpenAnEnvelopeCanNotChangeIt();
    void aSealedCalibrationSaysToEachWhatTheyMayDo();
    void rightsAreReadBackTheSame();
    void aDamagedPieceCostsThatPiece();
    void namesThatLeadOutOfAFolderAreRefused();
    void theSampleOfVersionOneIsStillRead();
};

void DeliverTest::aKeyIsReadBackAndProtectedByItsPassphrase() {
    const auto key = Key::make("Mara Ost");
    EXPECT_OK(key);
    for (const char* passphrase : {"", "three old \u00e4pples"}) {
        const std::string text = *key->text(passphrase);
        const bool locked = *passphrase != 0;
        QCOMPARE(*Key::isLocked(text), locked);
        QVERIFY(Key::cardIn(text)->sameKeys(key->card()));
        const auto back = Key::fromText(text, passphrase);
        EXPECT_OK(back);
        QVERIFY(isSignedBy(key->card(), bytesOf("a"), back->sign(bytesOf("a"))));
        QCOMPARE(*back->unseal(*sealedTo(key->card(), bytesOf("for Mara"))), bytesOf("for Mara"));
        if (!locked) continue;
        EXPECT_FAILS(Key::fromText(text, ""), "The key of Mara Ost asks for its passphrase");
        EXPECT_FAILS(Key::fromText(text, "three old apples"), "This is not the passphrase of Mara Ost's key");
        QVERIFY(text.find("secret:") == std::string::npos);
    }
    EXPECT_FAILS(Key::make("  "), "A key needs a name");
    EXPECT_FAILS(Key::make("two\nlines"), "A key needs a name");
}

void DeliverTest::aKeyFileOfAnotherKindSaysWhy_data() {
    QTest::addColumn<QString>("from");
    QTest::addColumn<QString>("to");
    QTest::addColumn<QString>("sentence");
    QTest::newRow("another file") << "Brusk key 1"
                                  << "MDF     4.10"
                                  << "This is no key file";
    QTest::newRow("a newer one") << "Brusk key 1"
                                 << "Brusk key 2"
                                 << "This is no key file";
    QTest::newRow("cut") << "secret: "
                         << "secre: "
                         << "The key file is damaged";
    QTest::newRow("half of another") << "secret: "
                                     << "secret: AAAA"
                                     << "The key file is damaged";
    QTest::newRow("another name") << "name: Mara"
                                  << "name: Mira"
                                  << "This card was changed after Mira Ost made it";
}

void DeliverTest::aKeyFileOfAnotherKindSaysWhy() {
    QFETCH(QString, from);
    QFETCH(QString, to);
    QFETCH(QString, sentence);
    QString text = qs(*Key::make("Mara Ost")->text(""));
    QVERIFY(text.contains(from));
    text.replace(from, to);
    EXPECT_FAILS(Key::fromText(text.toStdString(), ""), sentence.toStdString());
    // The secret of one under the card of another: it would sign what nobody can check.
    const auto one = Lines::parse(*Key::make("Mara Ost")->text(""), "Brusk key 1", "key");
    const auto other = Lines::parse(*Key::make("Mara Ost")->text(""), "Brusk key 1", "key");
    Lines mixed("Brusk key 1");
    for (const char* name : {"name", "sign", "seal", "signature"})
        mixed.add(name, *one->one(name));
    mixed.add("secret", *other->one("secret"));
    EXPECT_FAILS(Key::fromText(mixed.text(), ""), "The key file is damaged");
}

void DeliverTest::aKeyIsNeverWrittenOver() {
    Somebody mara("Mara Ost");
    EXPECT_FAILS(mara.home.makeKey("Mara Ost", ""), "it is never written over");
    EXPECT_OK(mara.home.backup("/home/stick/key"));
    EXPECT_FAILS(mara.home.backup("/home/stick/key"), "is there already");
    // The backup in the place of a lost key is the same key.
    EXPECT_OK(mara.files.remove(mara.home.keyFile()));
    EXPECT_FAILS(mara.home.key(""), "No key was made here yet");
    EXPECT_OK(mara.files.move("/home/stick/key", mara.home.keyFile()));
    QVERIFY(mara.home.key("")->card().sameKeys(mara.card()));
}

void DeliverTest::aCardSurvivesThePostAndNotAForger() {
    const Somebody mara("M\u00e4ra \\ Ost");
    QString text = qs(mara.card().text());
    EXPECT_OK(Card::fromText(text.toStdString()));
    QCOMPARE(Card::fromText(text.toStdString())->name, mara.card().name);
    EXPECT_OK(Card::fromText(QString(text).replace("\n", "  \r\n\r\n").toStdString()));
    // Each letter that is another makes it no card, or a card that says it was changed.
    const std::string good = text.toStdString();
    const size_t begin = good.find('\n') + 1;
    for (size_t i = begin; i < good.size(); ++i) {
        std::string bad = good;
        bad[i] = bad[i] == 'A' ? 'B' : 'A';
        const auto card = Card::fromText(bad);
        QVERIFY2(!card, qPrintable(QString::number(i)));
    }
    EXPECT_FAILS(Card::fromText(""), "there is nothing in it");
    EXPECT_FAILS(Card::fromText("hello"), "This is no calling card");
    EXPECT_FAILS(Card::fromText("Brusk card 1\nname Mara"), "Line 2 of the calling card is not \"name: value\"");
    EXPECT_FAILS(Card::fromText(good + "name: Mira\n"), "must say \"name\" once");
}

void DeliverTest::theFingerprintIsOfBothKeysAndReadInGroupsOfFive() {
    const Somebody mara("Mara Ost");
    Card other = mara.card();
    const QString mine = qs(mara.card().fingerprint());
    QVERIFY2(QRegularExpression("^(\\d{5} ){7}\\d{5}$").match(mine).hasMatch(), qPrintable(mine));
    other.name = "Mira";
    QCOMPARE(qs(other.fingerprint()), mine);
    other.seal[31] ^= 1;
    QVERIFY(qs(other.fingerprint()) != mine);
    other = mara.card();
    other.sign[0] ^= 1;
    QVERIFY(qs(other.fingerprint()) != mine);
}

void DeliverTest::aCardIsTrustedOnceAndAChangeIsSaidLoudly() {
    Somebody mara("Mara Ost"), jon("Jon Vale"), impostor("Mara Ost");
    QVERIFY(!*jon.home.trusts(mara.card()));
    QVERIFY(*jon.home.trust(mara.card()) == Trusted::New);
    QVERIFY(*jon.home.trust(mara.card()) == Trusted::Already);
    QVERIFY(*jon.home.trusts(mara.card()) && *jon.home.trusts(jon.card()));
    const auto changed = jon.home.trust(impostor.card());
    EXPECT_FAILS(changed, "Mara Ost is known here with another key (" + mara.card().fingerprint() +
                              "); this card has " + impostor.card().fingerprint());
    QVERIFY(!*jon.home.trusts(impostor.card()));
    QVERIFY(*jon.home.trust(impostor.card(), true) == Trusted::Changed);
    QVERIFY(*jon.home.trusts(impostor.card()) && !*jon.home.trusts(mara.card()));
    QCOMPARE(jon.home.trusted()->size(), size_t{1});
    QVERIFY(jon.home.named("Mara Ost")->sameKeys(impostor.card()));
    QVERIFY(jon.home.named(impostor.card().fingerprint().substr(0, 11))->sameKeys(impostor.card()));
    EXPECT_FAILS(jon.home.named("Nobody"), "No trusted card goes by \"Nobody\"");
    // A card that somebody put there by hand under another's name is not one.
    const auto entries = *jon.files.list("/home/brusk/cards");
    EXPECT_OK(jon.files.save(entries.front().path, bytesOf(mara.card().text())));
    QVERIFY(!*jon.home.trusts(mara.card()) && jon.home.trusted()->empty());
}

void DeliverTest::anEnvelopeIsOpenedByWhomItWasSealedTo() {
    Somebody mara("Mara Ost"), jon("Jon Vale"), eve("Eve Rook");
    EXPECT_OK(jon.home.trust(mara.card()));
    EXPECT_OK(eve.home.trust(mara.card()));
    for (const size_t size : {size_t{0}, size_t{1}, kChunk - 1, kChunk, kChunk + 1, 3 * kChunk}) {
        const Bytes content = randomBytes(size);
        const Bytes file = *closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card()}, content, kMade);
        for (const Somebody* who : {&mara, &jon}) {
            const auto opened = openEnvelope(EnvelopeKind::Calibration, file, who->key, who->home);
            EXPECT_OK(opened);
            QVERIFY(opened->content == content);
            QVERIFY(opened->head.by.sameKeys(mara.card()) && opened->head.made == kMade);
        }
        QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, file, eve.key, eve.home))), "wrong-recipient");
        QVERIFY(headOf(EnvelopeKind::Calibration, file)->to.size() == 2);
        EXPECT_FAILS(openEnvelope(EnvelopeKind::Parcel, file, jon.key, jon.home),
                     "This is a sealed calibration, not a");
    }
    const Bytes file = *closeEnvelope(EnvelopeKind::Calibration, jon.key, {eve.card()}, bytesOf("a"), kMade);
    QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, file, eve.key, eve.home))), "untrusted");
    // A file that one of them could not open is not written.
    Card bad = eve.card();
    bad.seal.fill(0);
    EXPECT_FAILS(closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card(), bad}, bytesOf("a"), kMade),
                 "Nothing can be sealed to the card of Eve Rook");
}

void DeliverTest::everyChangedByteOfAnEnvelopeIsRefused() {
    Somebody mara("Mara Ost"), jon("Jon Vale");
    EXPECT_OK(jon.home.trust(mara.card()));
    const Bytes file = *closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card()}, randomBytes(1 << 20), kMade);
    std::vector<size_t> places;
    const size_t begin = headEnd(file);
    for (size_t i = 0; i < begin + kStreamHead + kOfChunk; ++i)
        places.push_back(i);
    for (size_t chunk = begin + kStreamHead; chunk < file.size(); chunk += kChunk + kOfChunk)
        for (int at = -3; at < 3; ++at)
            places.push_back(chunk + static_cast<size_t>(at));
    for (size_t i = 0; i < 2 * kOfChunk; ++i)
        places.push_back(file.size() - 1 - i);
    std::mt19937 random(3);
    for (int i = 0; i < 2000; ++i)
        places.push_back(random() % file.size());
    Bytes bad = file;
    for (const size_t place : places) {
        const uint8_t flip = static_cast<uint8_t>(1u << (place % 8));
        bad[place] ^= flip;
        const auto opened = openEnvelope(EnvelopeKind::Calibration, bad, jon.key, jon.home);
        bad[place] ^= flip;
        const std::string why = refusalOf(opened);
        QVERIFY2(why == "altered" || (why == "truncated" && place < begin),
                 qPrintable(qs(why) + " at " + QString::number(place)));
        QVERIFY(!opened.error().message.empty());
    }
    QVERIFY(bad == file);
    EXPECT_OK(openEnvelope(EnvelopeKind::Calibration, bad, jon.key, jon.home));
}

void DeliverTest::anEnvelopeCutAnywhereIsRefused() {
    Somebody mara("Mara Ost"), jon("Jon Vale");
    EXPECT_OK(jon.home.trust(mara.card()));
    const Bytes file =
        *closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card()}, randomBytes(5 * kChunk + 10), kMade);
    const size_t begin = headEnd(file);
    std::vector<size_t> ends;
    for (size_t i = 0; i <= begin; ++i)
        ends.push_back(i);
    for (size_t chunk = begin + kStreamHead; chunk < file.size(); chunk += kChunk + kOfChunk)
        ends.insert(ends.end(), {chunk, chunk + 1, chunk + kOfChunk});
    ends.push_back(file.size() - 1);
    for (const size_t end : ends) {
        const auto opened = openEnvelope(EnvelopeKind::Calibration, ByteSpan(file).first(end), jon.key, jon.home);
        QVERIFY2(refusalOf(opened) == "truncated", qPrintable(qs(refusalOf(opened)) + " at " + QString::number(end)));
    }
    Bytes longer = file;
    longer.push_back(0);
    QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, longer, jon.key, jon.home))), "altered");
}

void DeliverTest::chunksAndHeadsOfOthersAreRefused() {
    Somebody mara("Mara Ost"), jon("Jon Vale");
    EXPECT_OK(jon.home.trust(mara.card()));
    const Bytes content = randomBytes(4 * kChunk);
    const Bytes one = *closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card()}, content, kMade);
    const Bytes other = *closeEnvelope(EnvelopeKind::Calibration, mara.key, {jon.card()}, content, kMade);
    QVERIFY(one != other && one.size() == other.size());
    const auto refused = [&](const Bytes& file) {
        return qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, file, jon.key, jon.home)));
    };
    const size_t begin = headEnd(one);
    // Chunks of one file exchanged.
    Bytes bad = one;
    const auto first = bad.begin() + static_cast<long>(begin + kStreamHead);
    std::swap_ranges(first, first + kChunk + kOfChunk, first + kChunk + kOfChunk);
    QCOMPARE(refused(bad), "altered");
    // A chunk left out, another twice.
    bad = one;
    std::copy_n(bad.begin() + static_cast<long>(begin + kStreamHead), kChunk + kOfChunk,
                bad.begin() + static_cast<long>(begin + kStreamHead + kChunk + kOfChunk));
    QCOMPARE(refused(bad), "altered");
    // The head of one with the content of the other, whole and a chunk of it.
    bad = one;
    std::copy(other.begin() + static_cast<long>(begin), other.end(), bad.begin() + static_cast<long>(begin));
    QCOMPARE(refused(bad), "altered");
    bad = one;
    std::copy_n(other.begin() + static_cast<long>(begin + kStreamHead), kChunk + kOfChunk,
                bad.begin() + static_cast<long>(begin + kStreamHead));
    QCOMPARE(refused(bad), "altered");
}

void DeliverTest::whoCanOpenAnEnvelopeCanNotChangeIt() {
    // Jon may open it, so he has the content's key. What he closes anew under Mara's head is not what she signed; and
    // what he signs is his.
    Somebody mara("Mara Ost"), jon("Jon Vale"), eve("Eve Rook");
    EXPECT_OK(eve.home.trust(mara.card()));
    const std::vector<Card> to{jon.card(), eve.card()};
    const Bytes hers = *closeEnvelope(EnvelopeKind::Calibration, mara.key, to, bytesOf("hers"), kMade);
    const Bytes his = *closeEnvelope(EnvelopeKind::Calibration, jon.key, {eve.card()}, bytesOf("mine"), kMade);
    Bytes mixed(hers.begin(), hers.begin() + static_cast<long>(headEnd(hers)));
    mixed.insert(mixed.end(), his.begin() + static_cast<long>(headEnd(his)), his.end());
    QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, mixed, eve.key, eve.home))), "altered");
    QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, his, eve.key, eve.home))), "untrusted");
    // Her name over his keys.
    QString text = QString::fromLatin1(reinterpret_cast<const char*>(his.data()), static_cast<qsizetype>(his.size()));
    text.replace("by: Jon Vale", "by: Mara Ost");
    const QByteArray forged = text.toLatin1();
    const Bytes file(forged.begin(), forged.end());
    QCOMPARE(file.size(), his.size());
    QCOMPARE(qs(refusalOf(openEnvelope(EnvelopeKind::Calibration, file, eve.key, eve.home))), "altered");
}

void DeliverTest::aSealedCalibrationSaysToEachWhatTheyMayDo() {
    Somebody mara("Mara Ost"), jon("Jon Vale"), eve("Eve Rook");
    for (Somebody* who : {&jon, &eve})
        EXPECT_OK(who->home.trust(mara.card()));
    image::Image image;
    EXPECT_OK(image.add(0x8C0000, randomBytes(70000)));
    Sealing sealing{"Stage 1", "Drive gently\nfor 50 km.", {}, {}};
    EXPECT_FAILS(seal(mara.key, image, sealing, kMade), "Say to whom");
    sealing.to = {{jon.card(), {May::Flash, May::Record}}, {eve.card(), {}}};
    EXPECT_FAILS(seal(mara.key, image, sealing, kMade), "Say what Eve Rook may do");
    sealing.to.back().may = {May::Look};
    sealing.rights.car = {"VIN1", "", "SW1"};
    sealing.rights.wayBack = false;
    sealing.rights.number = 12;
    const Bytes file = *seal(mara.key, image, sealing, kMade);
    const auto jons = unseal(file, jon.key, jon.home), eves = unseal(file, eve.key, eve.home),
               maras = unseal(file, mara.key, mara.home);
    for (const auto* one : {&jons, &eves, &maras}) {
        EXPECT_OK(*one);
        QVERIFY((*one)->image == image && (*one)->title == "Stage 1" && (*one)->note == sealing.note);
        QVERIFY((*one)->rights.car == sealing.rights.car && !(*one)->rights.wayBack && (*one)->rights.number == 12);
        QCOMPARE((*one)->rights.maker, mara.card().fingerprint());
    }
    QCOMPARE(jons->rights.may.text(), std::string("flash,record"));
    QVERIFY(!jons->rights.may.seesValues() && !jons->rights.may.to(May::Look) && jons->rights.may.to(May::Flash));
    QVERIFY(eves->rights.may.seesValues() && !eves->rights.may.to(May::Flash));
    QVERIFY(maras->rights.may.to(May::Change) && maras->rights.may.to(May::Record));
    // Nothing of the image can be seen in the file.
    const Bytes run = randomBytes(32);
    QVERIFY(std::search(file.begin(), file.end(), run.begin(), run.end()) == file.end());
}

void DeliverTest::rightsAreReadBackTheSame() {
    Rights rights{.may = {May::Flash},
                  .car = {"A: b", "\\n", ""},
                  .writeAllOnce = true,
                  .wayBack = false,
                  .maker = "12345",
                  .makerName = "M\u00e4ra\nOst",
                  .id = "ab",
                  .number = 1234567890123};
    QVERIFY(*Rights::parse(rights.text()) == rights);
    rights.allowOlder = true;
    QVERIFY(*Rights::parse(rights.text()) == rights);
    EXPECT_FAILS(Rights::parse("{}"), "The rights of this round can't be read");
    EXPECT_FAILS(Allowed::parse("flash,fly"), "\"fly\" can't be allowed");
    EXPECT_FAILS(Allowed::parse(""), "Say what may be done");
    const CarOnLink car{"VIN1", "S1", "SW1", false};
    EXPECT_OK(fitsCar({}, car));
    EXPECT_OK(fitsCar({"VIN1", "S1", "SW1"}, car));
    QCOMPARE(qs(refusalOf(fitsCar({"VIN2", "", ""}, car))), "other-vin");
    QCOMPARE(qs(refusalOf(fitsCar({"VIN1", "S2", ""}, car))), "other-serial");
    QCOMPARE(qs(refusalOf(fitsCar({"", "", "SW2"}, car))), "other-software");
    // In boot mode a controller may not tell all of it, and must be mended all the same; what it tells counts.
    EXPECT_OK(fitsCar({"VIN1", "S1", "SW1"}, {"", "S1", "", true}));
    QCOMPARE(qs(refusalOf(fitsCar({"VIN1", "S1", "SW1"}, {"", "S2", "", true}))), "other-serial");
}

void DeliverTest::aDamagedPieceCostsThatPiece() {
    std::vector<Piece> pieces{{"car.sqlite", randomBytes(200000)},
                              {"recordings/a.mf4", randomBytes(90000, 8)},
                              {"recordings/b \u00e4.mf4", Bytes(50000, 3)},
                              {"empty", {}}};
    const Bytes file = *packed(pieces);
    const auto wholeOf = [&](const Bytes& zip, Unpacked& out) {
        std::vector<std::string> names;
        auto unpacked = unpack(zip, [&](Piece&& piece) {
            for (const Piece& one : pieces)
                if (one.name == piece.name && one.bytes == piece.bytes) names.push_back(piece.name);
            return Done();
        });
        if (unpacked) out = *unpacked;
        return names;
    };
    Unpacked found;
    QCOMPARE(wholeOf(file, found).size(), pieces.size());
    QVERIFY(found.damaged.empty() && found.listed);
    // In the middle of the second piece.
    const auto place =
        std::search(file.begin(), file.end(), pieces[1].bytes.begin() + 40000, pieces[1].bytes.begin() + 40016);
    QVERIFY2(place != file.end(), "what can't be pressed lies there as it is");
    Bytes bad = file;
    bad[static_cast<size_t>(place - file.begin())] ^= 1;
    QCOMPARE(wholeOf(bad, found), (std::vector<std::string>{"car.sqlite", "recordings/b \u00e4.mf4", "empty"}));
    QCOMPARE(found.damaged, std::vector<std::string>{"recordings/a.mf4"});
    // Wherever a byte is another or the file ends, what is handed on is what was packed, and the rest is named.
    std::mt19937 random(5);
    for (int i = 0; i < 300; ++i) {
        bad = file;
        if (i % 3)
            bad[random() % bad.size()] ^= static_cast<uint8_t>(1 + random() % 255);
        else
            bad.resize(random() % bad.size());
        bool wrong = false;
        size_t taken = 0;
        found = {};
        const auto unpacked = unpack(bad, [&](Piece&& piece) {
            ++taken;
            wrong |= std::none_of(pieces.begin(), pieces.end(), [&](const Piece& one) {
                return one.bytes == piece.bytes && (one.name == piece.name || !found.listed);
            });
            return Done();
        });
        QVERIFY(!unpacked || !unpacked->listed || !wrong);
        QVERIFY(!unpacked || !unpacked->listed || taken + unpacked->damaged.size() >= pieces.size());
    }
}

void DeliverTest::namesThatLeadOutOfAFolderAreRefused() {
    for (const char* name : {"../up", "/etc/passwd", "a/../../b", "a//b", ".", "a/./b"}) {
        const auto unpacked = unpack(*packed({{"good", {1}}, {name, {2}}}), [](Piece&&) { return Done(); });
        QVERIFY2(!unpacked, name);
        EXPECT_FAILS(unpacked, "leads out of it");
    }
    EXPECT_FAILS(unpack(*packed({{"a", {1}}, {"a", {2}}}), [](Piece&&) { return Done(); }), "is in it twice");
    EXPECT_FAILS(unpack(randomBytes(5000), [](Piece&&) { return Done(); }), "This is no file of pieces");
    EXPECT_FAILS(unpack({}, [](Piece&&) { return Done(); }), "This is no file of pieces");
    // Who takes them may stop it, by its own sentence.
    EXPECT_FAILS(
        unpack(*packed({{"a", {1}}}), [](Piece&&) -> Done { return fail(ErrorCode::Io, "The disk is full."); }),
        "The disk is full.");
}

void DeliverTest::theSampleOfVersionOneIsStillRead() {
    const std::string at = BRUSK_SOURCE_DIR "/tests/core/samples/deliver-1/";
    storage::MemoryFileSystem files;
    const Home home{files, "/home/brusk"};
    EXPECT_OK(home.trust(*Card::fromText(readText(at + "mara.card"))));
    const auto jon = Key::fromText(readText(at + "jon.key"), "two wheels");
    EXPECT_OK(jon);
    const auto sealed = unseal(bytesOf(readText(at + "round.sealed")), *jon, home);
    EXPECT_OK(sealed);
    QCOMPARE(qs(sealed->title), "Stage 1");
    QCOMPARE(sealed->rights.may.text(), std::string("flash,record"));
    QCOMPARE(sealed->image.size(), uint64_t{4096});
    QCOMPARE(sealed->image.bytes(0x8C0010, 1)->front(), uint8_t{0x10});
    const auto parcel = openEnvelope(EnvelopeKind::Parcel, bytesOf(readText(at + "drives.parcel")), *jon, home);
    EXPECT_OK(parcel);
    for (const Bytes& pieces : {parcel->content, bytesOf(readText(at + "pieces.zip"))}) {
        std::vector<std::string> names;
        const auto unpacked = unpack(pieces, [&](Piece&& piece) {
            names.push_back(piece.name);
            return Done();
        });
        EXPECT_OK(unpacked);
        QVERIFY(unpacked->damaged.empty() && unpacked->listed);
        QCOMPARE(names, (std::vector<std::string>{"about", "recordings/a.mf4"}));
    }
}

QTEST_APPLESS_MAIN(DeliverTest)
#include "DeliverTest.moc"
