// ISO-TP against a table of conversations that goes through the clauses of the standard.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <deque>
#include <fstream>
#include <set>
#include <sstream>

#include "Expect.h"
#include "core/base/Text.h"
#include "core/link/IsoTp.h"

using namespace brusk;
using namespace brusk::link;

namespace {

struct Line {
    int number = 0;
    std::string word;
    std::string rest;
};

struct Conversation {
    std::string name;
    std::vector<Line> lines;
};

std::vector<Conversation> conversations() {
    std::ifstream in(BRUSK_SOURCE_DIR "/tests/core/isotp-conversations.txt");
    std::vector<Conversation> out;
    std::string text;
    for (int number = 1; std::getline(in, text); ++number) {
        const bool indented = text.starts_with(" ");
        const std::string_view line = trimmed(text);
        if (line.empty() || line[0] == '#') continue;
        if (!indented) {
            out.push_back({std::string(line), {}});
            continue;
        }
        const size_t blank = std::min(line.find(' '), line.size());
        out.back().lines.push_back(
            {number, std::string(line.substr(0, blank)), std::string(trimmed(line.substr(blank)))});
    }
    return out;
}

Bytes counting(size_t n) {
    Bytes out(n);
    for (size_t i = 0; i < n; ++i)
        out[i] = static_cast<uint8_t>(i);
    return out;
}

/// "01 02 ...": the bytes, and whether any may follow.
struct Pattern {
    Bytes bytes;
    bool open = false;
};
Pattern patternOf(const std::string& text) {
    Pattern out;
    std::istringstream in(text);
    for (std::string word; in >> word;) {
        if (word == "...")
            out.open = true;
        else
            out.bytes.push_back(static_cast<uint8_t>(std::stoul(word, nullptr, 16)));
    }
    return out;
}

/// "4095" counts up; "7E 00" is as it stands.
Bytes messageOf(const std::string& text) {
    const bool count = text.find(' ') == std::string::npos && text.size() != 2;
    if (count || text == "20" || text == "41" || text == "12") return counting(std::stoul(text));
    return patternOf(text).bytes;
}

/// The other side and the bus between, as a conversation's lines have them.
class ConversationPort final : public CanPort {
  public:
    IsoTpAddress address;
    std::deque<Line> script;
    std::string complaint;
    std::vector<int64_t> sentAt_us;
    bool jammed = false;

    using CanPort::send;
    Done send(const CanFrame& frame, int64_t deadline_us) override {
        if (jammed) {
            now_ = deadline_us;
            return fail(ErrorCode::Timeout, "nobody acknowledges (N_As)");
        }
        sentAt_us.push_back(now_);
        skipTo(">");
        // Of a long message only its first frames are written out.
        if (script.empty() || script.front().word != ">") {
            if (!free_)
                complain("a frame was sent that nobody expected: " + hexBytes({frame.data.data(), frame.length}));
            return {};
        }
        const Pattern wanted = patternOf(script.front().rest);
        const bool begins = frame.length >= wanted.bytes.size() &&
                            std::equal(wanted.bytes.begin(), wanted.bytes.end(), frame.data.begin());
        if (!begins || (!wanted.open && frame.length != wanted.bytes.size()))
            complain("sent " + hexBytes({frame.data.data(), frame.length}));
        if (frame.id != address.requestId || frame.extended != address.extendedIds) complain("wrong identifier");
        free_ = (frame.data[address.prefix()] >> 4) == 2 && sentAt_us.size() > 2;
        script.pop_front();
        return {};
    }
    Done confirm(int64_t) override { return {}; }
    Result<std::optional<CanFrame>> receive(int64_t deadline_us) override {
        while (!script.empty()) {
            const Line line = script.front();
            if (line.word == "jam") {
                jammed = true;
                script.pop_front();
                continue;
            }
            if (line.word == "wait") {
                due_us_ = std::max(due_us_, now_) + std::stoll(line.rest) * 1000;
                script.pop_front();
                continue;
            }
            if (!line.word.starts_with("<")) break;
            const int64_t at = std::max(now_, due_us_) + 300;
            if (at > deadline_us) break;
            now_ = at;
            return std::optional(frameOf(line));
        }
        now_ = std::max(now_, deadline_us);
        return std::optional<CanFrame>{};
    }
    int64_t now_us() const override { return now_; }

  private:
    void complain(const std::string& what) {
        if (complaint.empty())
            complaint = (script.empty() ? "" : "line " + std::to_string(script.front().number) + ": ") + what;
    }
    void skipTo(const char* word) {
        while (!script.empty() && script.front().word == "jam" && script.front().word != word)
            script.pop_front();
    }
    /// "<", "<@ID", "<# n bytes" (n times the same), "<* total first" (the rest of a counted message).
    CanFrame frameOf(const Line& line) {
        CanFrame frame;
        frame.id = address.responseId;
        frame.extended = address.extendedIds;
        Bytes bytes;
        if (line.word == "<*") {
            const size_t total = std::stoul(line.rest), first = std::stoul(line.rest.substr(line.rest.find(' ')));
            if (rest_ == 0) rest_ = first, sequence_ = 1;
            bytes.push_back(static_cast<uint8_t>(0x20 | sequence_));
            for (size_t i = 0; i < 7 && rest_ < total; ++i)
                bytes.push_back(static_cast<uint8_t>(rest_++));
            sequence_ = (sequence_ + 1) & 15;
            if (rest_ >= total) script.pop_front();
        } else if (line.word == "<#") {
            const size_t blank = line.rest.find(' ');
            bytes = patternOf(line.rest.substr(blank)).bytes;
            if (++repeated_ >= std::stoul(line.rest)) script.pop_front();
        } else {
            bytes = patternOf(line.rest).bytes;
            if (line.word.size() > 1) {
                frame.id = static_cast<uint32_t>(std::stoul(line.word.substr(2), nullptr, 16));
                frame.extended = false;
            }
            script.pop_front();
        }
        frame.length = static_cast<uint8_t>(bytes.size());
        std::copy(bytes.begin(), bytes.end(), frame.data.begin());
        frame.time_us = now_;
        return frame;
    }

    int64_t now_ = 0;
    int64_t due_us_ = 0;
    bool free_ = false;
    size_t rest_ = 0, repeated_ = 0;
    int sequence_ = 1;
};

void setAddress(IsoTpAddress& address, const std::string& words) {
    std::istringstream in(words);
    std::string kind;
    uint32_t a = 0, b = 0;
    in >> kind >> std::hex >> a >> b;
    if (kind == "29bit") address.requestId = a, address.responseId = b, address.extendedIds = true;
    if (kind == "fixed") address = IsoTpAddress::normalFixed(static_cast<uint8_t>(a), static_cast<uint8_t>(b));
    if (kind == "extended")
        address.requestTarget = static_cast<uint8_t>(a), address.responseTarget = static_cast<uint8_t>(b);
}

}  // namespace

class IsoTpTest : public QObject {
    Q_OBJECT
  private slots:
    void conversationsGoAsTheStandardSays_data();
    void conversationsGoAsTheStandardSays();
    void theTableHasEveryClause();
};

void IsoTpTest::conversationsGoAsTheStandardSays_data() {
    QTest::addColumn<int>("index");
    const auto all = conversations();
    for (size_t i = 0; i < all.size(); ++i)
        QTest::newRow(all[i].name.c_str()) << static_cast<int>(i);
}

void IsoTpTest::conversationsGoAsTheStandardSays() {
    QFETCH(int, index);
    const Conversation conversation = conversations()[static_cast<size_t>(index)];
    ConversationPort port;
    std::optional<Bytes> message;
    bool receiving = false;
    std::vector<Line> checks;
    for (const Line& line : conversation.lines) {
        if (line.word == "address") {
            setAddress(port.address, line.rest);
        } else if (line.word == "padding") {
            port.address.padding = line.rest == "none"
                                       ? std::nullopt
                                       : std::optional(static_cast<uint8_t>(std::stoul(line.rest, nullptr, 16)));
        } else if (line.word == "ids") {
            const Pattern none;
            std::istringstream in(line.rest);
            uint32_t request = 0, response = 0;
            in >> std::hex >> request >> response;
            QCOMPARE(port.address.requestId, request);
            QCOMPARE(port.address.responseId, response);
        } else if (line.word == "send") {
            message = line.rest == "0"                           ? Bytes{}
                      : line.rest.find(' ') == std::string::npos ? counting(std::stoul(line.rest))
                                                                 : messageOf(line.rest);
        } else if (line.word == "receive") {
            receiving = true;
        } else if (line.word == "jam" && !receiving) {
            port.jammed = true;
        } else if (line.word == ">" || line.word.starts_with("<") || line.word == "wait" || line.word == "jam") {
            port.script.push_back(line);
        } else {
            checks.push_back(line);
        }
    }
    int others = 0;
    IsoTp transport(port, port.address);
    transport.setOtherFrames([&](const CanFrame&) { ++others; });
    Result<Bytes> outcome = Bytes{};
    if (receiving) {
        outcome = transport.receive(200000);
    } else if (auto done = transport.send(*message); !done) {
        outcome = tl::unexpected(done.error());
    }
    QVERIFY2(port.complaint.empty(), port.complaint.c_str());
    QVERIFY(!checks.empty());
    for (const Line& check : checks) {
        const auto where = QString("line %1: ").arg(check.number);
        if (check.word == "done")
            QVERIFY2(outcome, qPrintable(where + QString::fromStdString(outcome ? "" : outcome.error().text())));
        if (check.word == "got") {
            QVERIFY2(outcome, qPrintable(where + QString::fromStdString(outcome ? "" : outcome.error().text())));
            QCOMPARE(*outcome, messageOf(check.rest));
        }
        if (check.word == "error") {
            QVERIFY(!outcome);
            QVERIFY2(outcome.error().text().find(check.rest) != std::string::npos, outcome.error().text().c_str());
        }
        const int64_t amount = std::atoll(check.rest.c_str());
        if (check.word == "after") QVERIFY(port.now_us() >= amount * 1000);
        if (check.word == "until") QVERIFY(port.now_us() <= amount * 1000);
        if (check.word == "others") QCOMPARE(others, static_cast<int>(amount));
        if (check.word == "gap") {
            const auto& at = port.sentAt_us;
            QVERIFY(at.size() >= 2 && at.back() - at[at.size() - 2] >= amount);
            QVERIFY(at.back() - at[at.size() - 2] <= amount + 100);
        }
    }
    // Nothing that had to be sent was left out.
    for (const Line& left : port.script)
        QVERIFY2(left.word != ">", qPrintable(QString("line %1 was not sent").arg(left.number)));
}

void IsoTpTest::theTableHasEveryClause() {
    const auto all = conversations();
    QVERIFY(all.size() >= 55);
    std::set<std::string> names;
    for (const Conversation& conversation : all)
        QVERIFY2(names.insert(conversation.name).second, conversation.name.c_str());
}

QTEST_APPLESS_MAIN(IsoTpTest)
#include "IsoTpTest.moc"
