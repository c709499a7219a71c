// Expressions against a slow second implementation, over thousands of drawn ones; and a good sentence for each mistake.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <QTest>
#include <cmath>
#include <functional>
#include <random>

#include "Expect.h"
#include "core/recording/Expression.h"

using namespace brusk;
using namespace brusk::recording;

namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

/// Two rates, samples that are missing, a gap in each clock, and a counter that float32 can't hold.
Recording drawn(unsigned seed, size_t rows = 240) {
    std::mt19937 random(seed);
    const auto number = [&](double least, double most) {
        return least + (most - least) * static_cast<double>(random() % 10001) / 10000;
    };
    Recording out;
    Group fast, slow;
    fast.name = "fast", fast.rate_hz = 100;
    slow.name = "slow", slow.rate_hz = 10;
    fast.channels = {{"speed", "rpm", "", "engine_speed", {}},
                     {"map abs", "kPa", "", "manifold_pressure", {}},
                     {"boost", "psi", "", "", {}},
                     {"lambda", "", "", "lambda_measured", {}},
                     {"trim", "%", "", "short_trim", {}}};
    slow.channels = {{"coolant", "\u00b0C", "", "coolant_temp", {}}, {"raw", "counts", "", "", {}}};
    Numbers<double> counter;
    double t = 0;
    for (size_t i = 0; i < rows; ++i) {
        t += i == rows / 2 ? 0.7 : 0.01;
        fast.time_s.push_back(t);
        const double values[] = {number(800, 6500), number(20, 220), number(-5, 20), number(0.8, 1.2), number(-9, 9)};
        for (size_t c = 0; c < 5; ++c)
            fast.channels[c].values.push_back(random() % 17 == 0 ? NAN
                                                                 : static_cast<float>(std::round(values[c])) + 0.0f);
        counter.push_back(1e9 + static_cast<double>(i));
    }
    fast.channels.push_back({"counter", "", "", "", Column(std::move(counter))});
    for (double s = 0.3; s < t - 0.8; s += 0.1) {
        if (s > 0.8 && s < 1.5) continue;
        slow.time_s.push_back(s);
        slow.channels[0].values.push_back(static_cast<float>(number(15, 110)));
        slow.channels[1].values.push_back(static_cast<float>(random() % 5));
    }
    out.groups = {fast, slow};
    return out;
}

/// The second implementation: a tree whose every node is computed over all rows, looking back sample by sample.
using Values = std::vector<double>;
struct Slow {
    const Recording& recording;
    const Group& clock;
    std::vector<double> t;

    explicit Slow(const Recording& r) : recording(r), clock(r.groups[0]), t(clock.time_s.begin(), clock.time_s.end()) {}

    Values channel(const std::string& name, double factor = 1) const {
        const auto place = recording.find(name);
        Values out;
        for (const double now : t) {
            double value = kNone;
            for (size_t k = 0; k < place.group->time_s.size(); ++k)
                if (place.group->time_s[k] <= now)
                    value = now - place.group->time_s[k] <= 3 / place.group->rate_hz || place.group == &clock
                                ? place.channel->values.at(k) * factor
                                : kNone;
            out.push_back(value);
        }
        return out;
    }
    /// Rows from which nothing lies between them and row i but rows without a gap, newest last.
    std::vector<size_t> since(size_t i) const {
        size_t first = i;
        while (first > 0 && t[first] - t[first - 1] <= 3 / clock.rate_hz)
            --first;
        std::vector<size_t> out;
        for (size_t k = first; k <= i; ++k)
            out.push_back(k);
        return out;
    }
    Values over(const Values& x, const std::function<double(size_t, const std::vector<size_t>&)>& of) const {
        Values out;
        for (size_t i = 0; i < x.size(); ++i)
            out.push_back(of(i, since(i)));
        return out;
    }
};

struct Drawn {
    std::string text;
    Values values;
    bool condition = false;
};

class Drawer {
  public:
    Drawer(const Slow& slow, unsigned seed) : slow_(slow), random_(seed) {}

    Drawn number(int depth) {
        if (depth == 0 || pick(5) == 0) return leaf();
        Drawn a = number(depth - 1);
        switch (pick(14)) {
            case 0:
                return two(a, number(depth - 1), "+", [](double x, double y) { return x + y; });
            case 1:
                return two(a, number(depth - 1), "-", [](double x, double y) { return x - y; });
            case 2:
                return two(a, number(depth - 1), "*", [](double x, double y) { return x * y; });
            case 3:
                return two(a, number(depth - 1), "/", [](double x, double y) { return x / y; });
            case 4:
                return one(a, "abs", [](double x) { return std::abs(x); });
            case 5:
                return one(a, "-", [](double x) { return -x; });
            case 6: {
                const Drawn b = number(depth - 1);
                Drawn out{"min(" + a.text + ", " + b.text + ")", {}};
                for (size_t i = 0; i < a.values.size(); ++i)
                    out.values.push_back(unknown(a, b, i) ? kNone : std::min(a.values[i], b.values[i]));
                return out;
            }
            case 7: {
                Drawn out{"clamp(" + a.text + ", -3, 500)", {}};
                for (const double x : a.values)
                    out.values.push_back(std::isnan(x) ? kNone : std::max(-3.0, std::min(x, 500.0)));
                return out;
            }
            case 8: {
                const Drawn c = condition(depth - 1), b = number(depth - 1);
                Drawn out{"(" + c.text + " ? " + a.text + " : " + b.text + ")", {}};
                for (size_t i = 0; i < a.values.size(); ++i)
                    out.values.push_back(std::isnan(c.values[i]) ? kNone
                                         : c.values[i] != 0      ? a.values[i]
                                                                 : b.values[i]);
                return out;
            }
            case 9:
                return {"(rate(" + a.text + ") * 1 s)", slow_.over(a.values, [&](size_t i, const auto& rows) {
                            return rows.size() < 2 ? kNone
                                                   : (a.values[i] - a.values[i - 1]) / (slow_.t[i] - slow_.t[i - 1]);
                        })};
            case 10:
                return {"delay(" + a.text + ", 0.055 s)", slow_.over(a.values, [&](size_t i, const auto& rows) {
                            double out = kNone;
                            for (const size_t k : rows)
                                if (slow_.t[k] <= slow_.t[i] - 0.055) out = a.values[k];
                            return out;
                        })};
            case 11:
                return window(a, "mean", [](const Values& v) {
                    double sum = 0;
                    for (const double x : v)
                        sum += x;
                    return sum / static_cast<double>(v.size());
                });
            case 12:
                return window(a, "least", [](const Values& v) { return *std::min_element(v.begin(), v.end()); });
            default:
                return window(a, "most", [](const Values& v) { return *std::max_element(v.begin(), v.end()); });
        }
    }

    Drawn condition(int depth) {
        if (depth == 0 || pick(3) == 0) {
            const Drawn a = number(depth), b = number(0);
            const char* signs[] = {"<", "<=", ">", ">=", "==", "!="};
            const size_t k = pick(6);
            Drawn out{"(" + a.text + " " + signs[k] + " " + b.text + ")", {}, true};
            for (size_t i = 0; i < a.values.size(); ++i) {
                const double x = a.values[i], y = b.values[i];
                const bool is[] = {x<y, x <= y, x> y, x >= y, x == y, x != y};
                out.values.push_back(unknown(a, b, i) ? kNone : static_cast<double>(is[k]));
            }
            return out;
        }
        const Drawn a = condition(depth - 1);
        switch (pick(5)) {
            case 0: {
                Drawn out{"not " + a.text, {}, true};
                for (const double x : a.values)
                    out.values.push_back(std::isnan(x) ? kNone : static_cast<double>(x == 0));
                return {"(" + out.text + ")", out.values, true};
            }
            case 1:
            case 2: {
                const bool both = pick(2) == 0;
                const Drawn b = condition(depth - 1);
                Drawn out{"(" + a.text + (both ? " and " : " or ") + b.text + ")", {}, true};
                for (size_t i = 0; i < a.values.size(); ++i) {
                    const bool yes = a.values[i] == 1 || b.values[i] == 1, no = a.values[i] == 0 || b.values[i] == 0;
                    const bool open = unknown(a, b, i);
                    out.values.push_back(both ? (no ? 0 : open ? kNone : 1) : (yes ? 1 : open ? kNone : 0));
                }
                return out;
            }
            case 3:
                return {"held(" + a.text + ", 0.03 s)",
                        slow_.over(a.values,
                                   [&](size_t i, const auto& rows) {
                                       if (std::isnan(a.values[i])) return kNone;
                                       double since = slow_.t[i];
                                       for (auto k = rows.rbegin(); k != rows.rend() && a.values[*k] == 1; ++k)
                                           since = slow_.t[*k];
                                       return static_cast<double>(a.values[i] == 1 && slow_.t[i] - since >= 0.03);
                                   }),
                        true};
            default:
                return {"edge(" + a.text + ")",
                        slow_.over(a.values,
                                   [&](size_t i, const auto& rows) {
                                       if (std::isnan(a.values[i])) return kNone;
                                       return static_cast<double>(rows.size() > 1 && a.values[i] == 1 &&
                                                                  a.values[i - 1] == 0);
                                   }),
                        true};
        }
    }

  private:
    size_t pick(size_t n) { return random_() % n; }
    static bool unknown(const Drawn& a, const Drawn& b, size_t i) {
        return std::isnan(a.values[i]) || std::isnan(b.values[i]);
    }
    Drawn leaf() {
        const size_t n = slow_.t.size();
        switch (pick(7)) {
            case 0:
                return {"({counter} * 1 lambda)", slow_.channel("counter")};
            case 1:
                return {"{raw}", slow_.channel("raw")};
            case 2:
                return {"({speed} / 1 rpm)", slow_.channel("speed")};
            case 3:
                // Psi in kPa, by the definition of the pound-force and the inch.
                return {"((0 kPa + {boost}) / 1 kPa)", slow_.channel("boost", 6.894757293168361)};
            case 4:
                return {"(lambda * 1 lambda)", slow_.channel("lambda")};
            case 5:
                return {"(<manifold pressure> / 1 kPa)", slow_.channel("map abs")};
            default: {
                const double value = static_cast<double>(pick(2000)) / 8;
                return {std::to_string(value) + " lambda", Values(n, value)};
            }
        }
    }
    static Drawn two(const Drawn& a, const Drawn& b, const char* sign, double (*of)(double, double)) {
        Drawn out{"(" + a.text + " " + sign + " " + b.text + ")", {}};
        for (size_t i = 0; i < a.values.size(); ++i)
            out.values.push_back(of(a.values[i], b.values[i]));
        return out;
    }
    static Drawn one(const Drawn& a, const std::string& name, double (*of)(double)) {
        Drawn out{name + "(" + a.text + ")", {}};
        for (const double x : a.values)
            out.values.push_back(of(x));
        return out;
    }
    Drawn window(const Drawn& a, const std::string& name, double (*of)(const Values&)) {
        return {name + "(" + a.text + ", 0.045 s)", slow_.over(a.values, [&](size_t i, const auto& rows) {
                    Values in;
                    for (const size_t k : rows)
                        if (slow_.t[k] >= slow_.t[i] - 0.045 && !std::isnan(a.values[k])) in.push_back(a.values[k]);
                    return in.empty() ? kNone : of(in);
                })};
    }

    const Slow& slow_;
    std::mt19937 random_;
};

/// Float32 holds seven digits; what is large comes out of cancelling larger numbers.
bool close(double a, double b) {
    if (std::isnan(a) || std::isnan(b)) return std::isnan(a) == std::isnan(b);
    if (std::isinf(a) || std::isinf(b)) return a == b || std::abs(std::isinf(a) ? b : a) > 1e30;
    return std::abs(a - b) <= 1e-5 * std::max({1.0, std::abs(a), std::abs(b)});
}

std::string mistake(const std::string& text) {
    static const Recording recording = drawn(1);
    const auto found = Expression::compile(text, vocabularyOf(recording));
    return found ? "compiled" : found.error().text();
}

double first(const std::string& text) {
    Recording r;
    r.groups.resize(1);
    r.groups[0].time_s = {0};
    r.groups[0].rate_hz = 10;
    r.groups[0].channels = {{"coolant", "\u00b0C", "", "coolant_temp", {90}},
                            {"intake", "\u00b0F", "", "", {68}},
                            {"map", "mbar", "", "manifold_pressure", {1500}},
                            {"afr", "AFR", "", "", {14.7f}},
                            {"torque", "Nm", "", "", {200}},
                            {"speed", "rpm", "", "engine_speed", {3000}}};
    const auto column = evaluate(text, r, r.groups[0]);
    return column ? static_cast<double>((*column)[0]) : kNone;
}

std::string unitOf(const std::string& text) {
    const Recording recording = drawn(1);
    const auto found = Expression::compile(text, vocabularyOf(recording));
    return found ? found->unit() : found.error().text();
}

}  // namespace

class ExpressionTest : public QObject {
    Q_OBJECT
  private slots:
    void drawnExpressionsAgreeWithASlowImplementation();
    void rowByRowIsWhatAllAtOnceIs();
    void unitsMeetInTheLeftOnes();
    void temperaturesHaveDifferences();
    void resultsHaveUnits();
    void precedenceIsAsWritten();
    void mistakesAreNamedWithTheirColumn();
    void anythingAtAllIsEitherComputedOrRefused();
    void channelsOfAnotherRateGoStale();
};

void ExpressionTest::drawnExpressionsAgreeWithASlowImplementation() {
    size_t numbers = 0, missing = 0, expressions = 0;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        const Recording recording = drawn(seed);
        const Slow slow(recording);
        Drawer drawer(slow, seed);
        for (int n = 0; n < 300; ++n, ++expressions) {
            const Drawn wanted = n % 3 == 0 ? drawer.condition(3) : drawer.number(3);
            const auto found = evaluate(wanted.text, recording, recording.groups[0]);
            QVERIFY2(found, found ? "" : (wanted.text + ": " + found.error().text()).c_str());
            QCOMPARE(found->size(), wanted.values.size());
            for (size_t i = 0; i < wanted.values.size(); ++i) {
                const double is = static_cast<double>((*found)[i]), was = wanted.values[i];
                if (!close(is, was))
                    QFAIL((wanted.text + ", row " + std::to_string(i) + ": " + std::to_string(is) + ", not " +
                           std::to_string(was))
                              .c_str());
                ++numbers, missing += std::isnan(was);
            }
        }
    }
    qInfo("%zu expressions, %zu numbers, %zu of them missing", expressions, numbers, missing);
    QVERIFY(missing > numbers / 20 && missing < numbers / 2);
}

void ExpressionTest::rowByRowIsWhatAllAtOnceIs() {
    const Recording recording = drawn(5, 3000);
    const Group& clock = recording.groups[0];
    for (const char* text :
         {"held({speed} > 3000 and {map abs} > 100, 0.02 s)", "mean({boost}, 0.1 s) - delay({boost}, 0.2 s)",
          "edge(rate(lambda) > 0)", "most({trim}, 0.3 s) - least({trim}, 0.3 s)", "({lambda}-1)*100/{trim}"}) {
        const auto expression = Expression::compile(text, vocabularyOf(recording));
        EXPECT_OK(expression);
        const Column whole = evaluate(*expression, recording, clock);
        ExpressionRun run(*expression, 3 / clock.rate_hz);
        for (size_t i = 0; i < clock.time_s.size(); ++i) {
            std::vector<double> row;
            for (const size_t k : expression->inputs())
                row.push_back(clock.channels[k].values.at(i));
            const double one = run.step(clock.time_s[i], row);
            QVERIFY2(close(one, static_cast<double>(whole[i])), text);
        }
    }
}

void ExpressionTest::unitsMeetInTheLeftOnes() {
    QCOMPARE(first("{map}"), 1500.0);
    QCOMPARE(first("<manifold pressure>"), 150.0);  // the role's own unit
    QCOMPARE(first("{map} > 21 psi"), 1.0);
    QCOMPARE(first("{map} > 22 psi"), 0.0);
    QVERIFY(close(first("{map} - 100 kPa"), 500));
    QVERIFY(close(first("0 bar + {map}"), 1.5));
    QCOMPARE(first("{map} > 1499"), 1.0);  // a bare number is in the unit of what it meets
    QCOMPARE(first("abs({afr} - 1 lambda) < 0.0001"), 1.0);
    QVERIFY(close(first("min({map}, 1 bar)"), 1000));
    QVERIFY(close(first("{speed} > 1000 ? {map} : 1 bar"), 1500));
}

void ExpressionTest::temperaturesHaveDifferences() {
    QVERIFY(close(first("{coolant} - {intake}"), 70));
    QVERIFY(close(first("{coolant} + 5 K"), 95));
    QCOMPARE(first("{coolant} > 360 K"), 1.0);
    QCOMPARE(first("{coolant} > 364 K"), 0.0);
    QCOMPARE(first("{coolant} - {intake} > 69 K"), 1.0);
    QCOMPARE(first("{coolant} - {intake} > 71 K"), 0.0);
    QVERIFY(close(first("{coolant} * 1.8 + 32"), 194));
    // Above absolute zero where it is multiplied with something measured.
    QVERIFY(close(first("{map} / {coolant}"), 1500 / 363.15));
    QVERIFY(mistake("{coolant} + {coolant}").find("two temperatures can't be added") != std::string::npos);
}

void ExpressionTest::resultsHaveUnits() {
    QCOMPARE(unitOf("{boost} + 1 bar"), std::string("psi"));
    QCOMPARE(unitOf("rate({speed})"), std::string("rpm/s"));
    QCOMPARE(unitOf("{speed} / {boost}"), std::string("rpm/psi"));
    QCOMPARE(unitOf("{boost} / {map abs} * {map abs}"), std::string("psi"));
    QCOMPARE(unitOf("{lambda} - 1"), std::string());
    QCOMPARE(unitOf("{trim} + 1"), std::string("%"));
    QCOMPARE(unitOf("{coolant} - 20 \u00b0C"), std::string("K"));
    QCOMPARE(unitOf("sqrt({boost}^2)"), std::string("psi"));
    QCOMPARE(unitOf("{raw} * 2"), std::string("counts"));
    const Recording recording = drawn(1);
    QVERIFY(Expression::compile("{speed} > 3000", vocabularyOf(recording))->isCondition());
}

void ExpressionTest::precedenceIsAsWritten() {
    QCOMPARE(first("2 + 3 * 4"), 14.0);
    QCOMPARE(first("(2 + 3) * 4"), 20.0);
    QCOMPARE(first("-2 ^ 2"), -4.0);
    QCOMPARE(first("2 ^ 3 ^ 2"), 512.0);
    QCOMPARE(first("2 - 3 - 4"), -5.0);
    QCOMPARE(first("16 / 4 / 2"), 2.0);
    QCOMPARE(first("not 1 > 2 and 3 > 2"), 1.0);
    QCOMPARE(first("1 > 2 or 2 > 1 and 0 > 1"), 0.0);
    QCOMPARE(first("1 > 2 ? 3 : 2 > 1 ? 4 : 5"), 4.0);
    QCOMPARE(first("1.5e3 - .5"), 1499.5);
}

void ExpressionTest::mistakesAreNamedWithTheirColumn() {
    const std::pair<const char*, const char*> cases[] = {
        {"", "Column 1: there is nothing to compute."},
        {"{speed} + {map abs}",
         "Column 9: \"+\" joins engine speed (rpm) and pressure (kPa), which can't be turned into each other."},
        {"{speed} > 14.2 psi",
         "Column 9: the comparison is of engine speed (rpm) and pressure (psi), which can't be "
         "turned into each other."},
        {"{lamda} - 1", "Column 1: there is no channel \"lamda\"; did you mean {lambda}?"},
        {"<engin speed> > 1", "Column 1: there is no role \"engin speed\"; did you mean <engine speed>?"},
        {"<oil pressure>", ""},
        {"maen({speed}, 1 s)", "Column 1: there is no function \"maen\"; did you mean mean()?"},
        {"mean({speed})", "Column 1: mean() takes 2 values, not 1."},
        {"mean({speed}, {boost})", "Column 15: how far mean() looks back is a time that is typed, such as 0.2 s."},
        {"mean({speed}, 3 psi)", "Column 15: how far mean() looks back is a time that is typed, such as 0.2 s."},
        {"{speed} and {boost} > 1",
         "Column 9: \"and\" asks for a condition, not for engine speed (rpm); compare it with something."},
        {"1 < {boost} < 3", "Column 13: two comparisons need \"and\" between them: 1 < x and x < 2."},
        {"({speed} + 1", "Column 1: this bracket is never closed."},
        {"{speed", "Column 1: this brace is never closed; a channel is written {name}."},
        {"3 furlongs", "Column 3: \"furlongs\" is no unit that Brusk knows."},
        {"{speed} = 3", "Column 9: \"=\" sets nothing here; to compare, write \"==\"."},
        {"{speed} +", "Column 10: the expression ends where a value is expected."},
        {"{speed} {boost}", "Column 9: \"{\" is not expected here."},
        {"exp({speed})", "Column 1: exp() is of a bare number, not of engine speed (rpm); divide by one first."},
        {"{speed} ? 1 : 2",
         "Column 9: \"?\" asks for a condition, not for engine speed (rpm); compare it with something."},
        {"{boost} > 1 ? 2", "Column 16: \":\" is missing between the two answers of \"?\"."}};
    for (const auto& [text, wanted] : cases) {
        const std::string is = mistake(text);
        if (*wanted == 0)
            QVERIFY2(is.starts_with("Column 1: "), is.c_str());
        else
            QCOMPARE(QString::fromStdString(is), QString::fromStdString(wanted));
    }
    // Letters are counted, not bytes.
    QVERIFY(mistake("20 \u00b0C + {speed}").starts_with("Column 7: "));
}

void ExpressionTest::anythingAtAllIsEitherComputedOrRefused() {
    const char* parts[] = {"{speed}", "<engine speed>", "(", ")", "+",  "-",    "*",   "/",      "^",     "and", "or",
                           "not",     "mean(",          ",", "1", "s",  "psi",  "?",   ":",      "<",     ">",   "==",
                           "rate(",   "held(",          "{", "}", "\"", "\xff", "1e9", "lambda", "0.2 s", "!",   "="};
    std::mt19937 random(3);
    const Recording recording = drawn(2, 50);
    size_t computed = 0;
    for (int n = 0; n < 8000; ++n) {
        std::string text;
        for (size_t k = 0, most = 1 + random() % 9; k < most; ++k)
            text += std::string(parts[random() % std::size(parts)]) + (random() % 2 ? " " : "");
        const auto found = evaluate(text, recording, recording.groups[0]);
        if (found)
            ++computed;
        else
            QVERIFY(found.error().text().starts_with("Column "));
    }
    QVERIFY(computed > 100);
    QVERIFY(mistake(std::string(100000, '(')).find("longer than") != std::string::npos);
    QVERIFY(mistake(std::string(4000, '(')).find("nested") != std::string::npos);
    QVERIFY(mistake("1" + std::string(2000, '+') + "1").find("nested") != std::string::npos);
}

void ExpressionTest::channelsOfAnotherRateGoStale() {
    Recording r;
    r.groups.resize(2);
    r.groups[0].rate_hz = 10, r.groups[1].rate_hz = 10;
    for (int i = 0; i < 20; ++i)
        r.groups[0].time_s.push_back(i * 0.1);
    r.groups[0].channels = {{"a", "", "", "", Column(std::vector<float>(20, 1))}};
    r.groups[1].time_s = {0.2, 0.3, 1.5};
    r.groups[1].channels = {{"b", "", "", "", {2, 3, 4}}};
    const auto column = evaluate("a + b", r, r.groups[0]);
    EXPECT_OK(column);
    QVERIFY(std::isnan((*column)[1]));
    QCOMPARE((*column)[2], 3.0f);
    QCOMPARE((*column)[5], 4.0f);
    QVERIFY(std::isnan((*column)[8]));  // 0.8 s: half a second after the last
    QCOMPARE((*column)[16], 5.0f);
}

QTEST_APPLESS_MAIN(ExpressionTest)
#include "ExpressionTest.moc"
