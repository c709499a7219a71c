// Thousands of made-up parameters of every kind, layout, conversion, byte order and data type: written as A2L and read
// back equal, read from bytes that this test laid out itself, and written to the nearest raw count.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <cstring>
#include <random>

#include "Expect.h"
#include "core/calibration/Calibration.h"
#include "core/definition/A2lWriter.h"

using namespace brusk;
using namespace brusk::definition;
using calibration::AtLimit;
using calibration::Calibration;
using calibration::CellValue;

namespace {

/// What the test knows of a record because it laid it out: the address of each cell, and what it stored there.
struct Known {
    std::string name;
    std::vector<uint32_t> cells;
    std::vector<double> raw;
    std::vector<double> x, y;  ///< raw breakpoints
    size_t rows = 1, columns = 1;
    DataType type = DataType::UByte;
    ByteOrder order = ByteOrder::BigEndian;
};

/// Stores by the host's own types and turns the bytes round, unlike the code under test.
void put(Bytes& memory, uint32_t at, DataType type, ByteOrder order, double value) {
    uint8_t bytes[8] = {};
    const auto copy = [&](auto typed) { std::memcpy(bytes, &typed, sizeof typed); };
    switch (type) {
        case DataType::UByte:
            copy(static_cast<uint8_t>(value));
            break;
        case DataType::SByte:
            copy(static_cast<int8_t>(value));
            break;
        case DataType::UWord:
            copy(static_cast<uint16_t>(value));
            break;
        case DataType::SWord:
            copy(static_cast<int16_t>(value));
            break;
        case DataType::ULong:
            copy(static_cast<uint32_t>(value));
            break;
        case DataType::SLong:
            copy(static_cast<int32_t>(value));
            break;
        case DataType::UInt64:
            copy(static_cast<uint64_t>(value));
            break;
        case DataType::Int64:
            copy(static_cast<int64_t>(value));
            break;
        case DataType::Float32:
            copy(static_cast<float>(value));
            break;
        default:
            copy(value);
            break;
    }
    const size_t size = sizeOf(type);
    for (size_t i = 0; i < size; ++i)
        memory[at + i] = order == ByteOrder::LittleEndian ? bytes[i] : bytes[size - 1 - i];
}

class Maker {
  public:
    explicit Maker(unsigned seed) : random_(seed) {}

    Definition definition;
    Bytes memory = Bytes(1 << 18, 0xA5);
    std::vector<Known> known;

    void make(int count) {
        definition.byteOrder = any(2) ? ByteOrder::BigEndian : ByteOrder::LittleEndian;
        definition.project = definition.module = "Made";
        Conversion identical;
        identical.name = "NO_COMPU_METHOD";
        definition.conversions.push_back(identical);
        for (int i = 0; i < count; ++i)
            makeParameter(i);
        definition.index();
    }

    int any(int below) { return static_cast<int>(random_() % static_cast<unsigned>(below)); }
    double between(double low, double high) { return std::uniform_real_distribution<double>(low, high)(random_); }

  private:
    DataType anyType() {
        static constexpr DataType types[] = {DataType::UByte,   DataType::SByte,  DataType::UWord,  DataType::SWord,
                                             DataType::ULong,   DataType::SLong,  DataType::UInt64, DataType::Int64,
                                             DataType::Float32, DataType::Float64};
        return types[any(10)];
    }

    size_t conversion(int number) {
        Conversion k;
        k.name = "conversion_" + std::to_string(number) + "_" + std::to_string(definition.conversions.size());
        k.description = "made up \"" + std::to_string(number) + "\"";
        k.unit = any(2) ? "kPa" : "\u00b0C";
        k.decimals = any(6);
        switch (any(6)) {
            case 0:
                break;
            case 1:
                k.kind = Conversion::Kind::Linear;
                k.a = (any(2) ? 1 : -1) * between(0.001, 10);
                k.b = between(-100, 100);
                break;
            case 2:
                k.kind = Conversion::Kind::Rational;  // raw = (b p + c) / f
                k.a = 0, k.b = between(0.1, 200), k.c = between(-50, 50), k.d = 0, k.e = 0, k.f = between(0.5, 2);
                break;
            case 3:
                k.kind = Conversion::Kind::Interpolated;
                k.table = "table_" + k.name;
                for (int i = 0; i < 5; ++i)
                    k.points.push_back({i * 60.0 - 120, i * i * 3.5 + i});
                break;
            case 4:
                k.kind = Conversion::Kind::Formula;
                k.formula = "X1*0.25-7";
                k.inverse = "(X1+7)*4";
                break;
            default:
                k.kind = Conversion::Kind::Rational;  // a hyperbola: raw = c / (e p + f)
                k.a = 0, k.b = 0, k.c = between(500, 5000), k.d = 0, k.e = 1, k.f = between(0, 3);
                break;
        }
        definition.conversions.push_back(k);
        return definition.conversions.size() - 1;
    }

    double anyRaw(DataType type) {
        if (isFloat(type)) return static_cast<float>(between(-100, 100));
        const auto [low, high] = rangeOf(type);
        return std::floor(between(std::max(low, -1e6), std::min(high, 1e6)));
    }

    uint32_t aligned(uint32_t at, const Layout& layout, DataType type) {
        const uint32_t a = layout.alignment[static_cast<size_t>(type)];
        return (at + a - 1) / a * a;
    }

    void makeParameter(int number) {
        static constexpr Parameter::Kind kinds[] = {Parameter::Kind::Value, Parameter::Kind::Curve,
                                                    Parameter::Kind::Map, Parameter::Kind::Block};
        Parameter p;
        p.name = "p" + std::to_string(number);
        p.description = "number " + std::to_string(number);
        p.kind = kinds[any(4)];
        p.address = next_;
        p.lower = -1e18, p.upper = 1e18;
        if (any(4) == 0)
            p.byteOrder = definition.byteOrder == ByteOrder::BigEndian ? ByteOrder::LittleEndian : ByteOrder::BigEndian;
        if (any(5) == 0) p.label = "label of " + p.name;
        if (any(5) == 0) p.decimals = any(5);
        Known k;
        k.name = p.name;
        k.order = p.byteOrder.value_or(definition.byteOrder);
        Layout layout;
        layout.name = "layout_" + std::to_string(number);
        layout.columnsFirst = any(2);
        for (const auto& pair : {std::pair{0, 1}, {2, 3}, {4, 5}, {6, 7}}) {
            const auto a = static_cast<uint8_t>(1 << any(pair.first / 2 + 1));
            layout.alignment[pair.first] = layout.alignment[pair.second] = a;
        }
        layout.staticPlaces = any(6) == 0;
        const size_t axes = p.kind == Parameter::Kind::Map ? 2 : p.kind == Parameter::Kind::Curve ? 1 : 0;
        size_t most[2] = {1, 1}, counts[2] = {1, 1};
        for (size_t i = 0; i < axes; ++i)
            counts[i] = most[i] = static_cast<size_t>(2 + any(7));
        if (p.kind == Parameter::Kind::Block) {
            p.number = static_cast<uint32_t>(1 + any(12));
            counts[0] = most[0] = p.number;
        }
        uint32_t at = next_;
        int position = 1;
        const auto item = [&](Layout::Field field, int axis, DataType type) {
            Layout::Item made;
            made.position = position;
            position += 1 + any(2);
            made.field = field;
            made.axis = axis;
            made.type = type;
            made.falling = field == Layout::Field::AxisPoints && any(4) == 0;
            layout.items.push_back(made);
            at = aligned(at, layout, type);
            return made;
        };
        for (size_t i = 0; i < axes; ++i) {
            Axis axis;
            axis.input = "NO_INPUT_QUANTITY";
            axis.conversion = conversion(number);
            axis.points = static_cast<uint32_t>(most[i]);
            axis.lower = -1e9, axis.upper = 1e9;
            auto& breakpoints = i == 0 ? k.x : k.y;
            if (any(3) == 0) {
                axis.kind = Axis::Kind::Fixed;
                for (size_t n = 0; n < most[i]; ++n)
                    axis.fixed.push_back(static_cast<double>(n) * 5 + 1);
                breakpoints = axis.fixed;
                p.axes.push_back(axis);
                continue;
            }
            if (any(2)) {  // the count is stored, and may be smaller
                const DataType type = any(2) ? DataType::UByte : DataType::UWord;
                item(Layout::Field::AxisCount, static_cast<int>(i), type);
                counts[i] = static_cast<size_t>(2 + any(static_cast<int>(most[i]) - 1));
                put(memory, at, type, k.order, static_cast<double>(counts[i]));
                at += static_cast<uint32_t>(sizeOf(type));
            }
            const DataType type = any(2) ? DataType::UByte : DataType::SWord;
            axis.differences = any(5) == 0;
            const auto made = item(Layout::Field::AxisPoints, static_cast<int>(i), type);
            const auto size = static_cast<uint32_t>(sizeOf(type));
            for (size_t n = 0; n < counts[i]; ++n) {
                const auto place = static_cast<uint32_t>(made.falling ? counts[i] - 1 - n : n);
                const double breakpoint = static_cast<double>(3 + 7 * n + n * n);
                const double before = n == 0 ? 0 : static_cast<double>(3 + 7 * (n - 1) + (n - 1) * (n - 1));
                put(memory, at + place * size, type, k.order, axis.differences ? breakpoint - before : breakpoint);
                breakpoints.push_back(breakpoint);
            }
            at += size * static_cast<uint32_t>(layout.staticPlaces ? most[i] : counts[i]);
            p.axes.push_back(axis);
        }
        if (any(3) == 0) {
            item(Layout::Field::Reserved, 0, DataType::UWord);
            at += 2;
        }
        k.type = anyType();
        item(Layout::Field::Values, 0, k.type);
        const auto size = static_cast<uint32_t>(sizeOf(k.type));
        k.columns = counts[0], k.rows = counts[1];
        const size_t roomX = layout.staticPlaces ? most[0] : counts[0],
                     roomY = layout.staticPlaces ? most[1] : counts[1];
        for (size_t r = 0; r < k.rows; ++r)
            for (size_t c = 0; c < k.columns; ++c) {
                const size_t element = layout.columnsFirst && axes == 2 ? c * roomY + r : r * roomX + c;
                k.cells.push_back(at + static_cast<uint32_t>(element) * size);
                k.raw.push_back(anyRaw(k.type));
                put(memory, k.cells.back(), k.type, k.order, k.raw.back());
            }
        at += size * static_cast<uint32_t>(roomX * roomY);
        p.conversion = conversion(number);
        definition.layouts.push_back(layout);
        p.layout = definition.layouts.size() - 1;
        definition.parameters.push_back(p);
        known.push_back(k);
        next_ = at + static_cast<uint32_t>(any(5));
    }

    std::mt19937 random_;
    uint32_t next_ = 64;
};

Calibration calibrationOf(Maker& maker, Definition definition) {
    image::Image image;
    if (!image.add(0, maker.memory)) qFatal("the image can't be made");
    return {std::make_shared<const Definition>(std::move(definition)), std::move(image)};
}

/// Whether a value is as near to the wanted one as any raw count beside it.
bool nearest(const Conversion& k, DataType type, double raw, double wanted) {
    // Of floating point it is the number itself, as near as the type has it.
    if (type == DataType::Float32) return raw == static_cast<double>(static_cast<float>(k.toRaw(wanted)));
    if (type == DataType::Float64) return raw == k.toRaw(wanted);
    const double here = std::abs(k.toPhysical(raw) - wanted);
    const auto [low, high] = rangeOf(type);
    for (const double other : {raw - 1, raw + 1}) {
        const double there = std::abs(k.toPhysical(other) - wanted);
        if (other >= low && other <= high && there < here * (1 - 1e-9)) return false;
    }
    return true;
}

}  // namespace

class RoundTripTest : public QObject {
    Q_OBJECT
  private slots:
    void everyKindLayoutAndTypeIsReadWhereItLies();
    void everyWriteGoesToTheNearestCountAndToItsOwnBytesOnly();
    void breakpointsAreWrittenAndReadBackInEveryLayout();
    void masksOfEveryWidthReadAndWriteTheirOwnBits();
    void halfPrecisionFollowsTheStandardsValues();
    void sixtyFourBitNumbersThatNobodyTouchesKeepEveryBit();
};

void RoundTripTest::everyKindLayoutAndTypeIsReadWhereItLies() {
    int cells = 0;
    for (unsigned seed = 1; seed <= 60; ++seed) {
        Maker maker(seed);
        maker.make(40);
        const auto text = writeA2l(maker.definition);
        EXPECT_OK(text);
        auto again = readA2l(*text);
        EXPECT_OK(again);
        QVERIFY2(again->diagnostics.empty(), again->diagnostics.empty() ? "" : again->diagnostics[0].message.c_str());
        const std::string difference = firstDifference(maker.definition, again->definition);
        QVERIFY2(difference.empty(), difference.c_str());
        const Calibration calibration = calibrationOf(maker, std::move(again->definition));
        for (const Known& k : maker.known) {
            const auto table = calibration.read(k.name);
            EXPECT_OK(table);
            QCOMPARE(table->rows, k.rows);
            QCOMPARE(table->columns, k.columns);
            QCOMPARE(table->raw, k.raw);
            const Parameter& p = *table->parameter;
            for (size_t i = 0; i < p.axes.size(); ++i) {
                const auto& seen = i == 0 ? table->x : table->y;
                const auto& stored = i == 0 ? k.x : k.y;
                QCOMPARE(seen.values.size(), stored.size());
                for (size_t n = 0; n < stored.size(); ++n) {
                    const double expected =
                        calibration.definition().conversions[p.axes[i].conversion].toPhysical(stored[n]);
                    QVERIFY(seen.values[n] == expected || (std::isnan(expected) && std::isnan(seen.values[n])));
                }
            }
            cells += static_cast<int>(k.raw.size());
        }
    }
    QVERIFY(cells > 20000);
}

void RoundTripTest::everyWriteGoesToTheNearestCountAndToItsOwnBytesOnly() {
    int writes = 0;
    for (unsigned seed = 101; seed <= 160; ++seed) {
        Maker maker(seed);
        maker.make(40);
        const Calibration before = calibrationOf(maker, maker.definition);
        for (const Known& k : maker.known) {
            const Parameter& p = *before.definition().parameter(k.name);
            const Conversion& conversion = before.definition().conversionOf(p);
            const auto cell = static_cast<size_t>(maker.any(static_cast<int>(k.cells.size())));
            // What some raw count means, and a little beside it.
            const auto [low, high] = rangeOf(k.type);
            const double target = conversion.toPhysical(
                isFloat(k.type) ? maker.between(-50, 50)
                                : std::floor(maker.between(std::max(low, -200.0) + 1, std::min(high, 200.0) - 1)));
            const double beside = conversion.toPhysical(isFloat(k.type) ? 0 : 1) - conversion.toPhysical(0);
            const double wanted = target + (std::isfinite(beside) ? maker.between(-0.4, 0.4) * beside : 0);
            if (!std::isfinite(wanted)) continue;
            const auto edit = before.prepare(p, {{cell, wanted}}, AtLimit::Clamp, "try");
            EXPECT_OK(edit);
            Calibration after = before;
            EXPECT_OK(after.apply(*edit));
            const auto table = after.read(p);
            EXPECT_OK(table);
            QVERIFY2(
                edit->clamped || nearest(conversion, k.type, table->raw[cell], wanted),
                qPrintable(QString("%1: wanted %2, stored %3").arg(k.name.c_str()).arg(wanted).arg(table->raw[cell])));
            // Every byte outside the cell is as it was.
            const auto then = before.image().segments(), now = after.image().segments();
            for (size_t i = 0; i < then[0].bytes.size(); ++i)
                if (then[0].bytes[i] != now[0].bytes[i])
                    QVERIFY(i >= k.cells[cell] && i < k.cells[cell] + sizeOf(k.type));
            EXPECT_OK(after.revert(*edit));
            QVERIFY(after.image() == before.image());
            ++writes;
        }
    }
    QVERIFY(writes > 1500);
}

void RoundTripTest::breakpointsAreWrittenAndReadBackInEveryLayout() {
    int written = 0;
    for (unsigned seed = 201; seed <= 240; ++seed) {
        Maker maker(seed);
        maker.make(40);
        const Calibration before = calibrationOf(maker, maker.definition);
        for (const Known& k : maker.known) {
            const Parameter& p = *before.definition().parameter(k.name);
            for (size_t axis = 0; axis < p.axes.size(); ++axis) {
                const auto table = before.read(p);
                EXPECT_OK(table);
                std::vector<double> values = axis == 0 ? table->x.values : table->y.values;
                // Twice as far apart, by the raw counts; only where the conversion rises.
                const Conversion& conversion = before.definition().conversions[p.axes[axis].conversion];
                const auto& raw = axis == 0 ? k.x : k.y;
                for (size_t n = 0; n < values.size(); ++n)
                    values[n] = conversion.toPhysical(raw[n] + static_cast<double>(n));
                const bool rises = std::is_sorted(values.begin(), values.end(), std::less_equal<>());
                const auto edit = before.prepareBreakpoints(p, axis, values, AtLimit::Refuse, "re-space");
                if (p.axes[axis].kind == Axis::Kind::Fixed || !rises) {
                    QVERIFY(!edit);
                    continue;
                }
                EXPECT_OK(edit);
                Calibration after = before;
                EXPECT_OK(after.apply(*edit));
                const auto now = after.read(p);
                EXPECT_OK(now);
                const auto& stored = axis == 0 ? now->x.raw : now->y.raw;
                for (size_t n = 0; n < raw.size(); ++n)
                    QCOMPARE(stored[n], raw[n] + static_cast<double>(n));
                QCOMPARE(now->raw, table->raw);
                ++written;
            }
        }
    }
    QVERIFY(written > 300);
}

void RoundTripTest::masksOfEveryWidthReadAndWriteTheirOwnBits() {
    std::mt19937_64 random(7);
    for (int round = 0; round < 2000; ++round) {
        const DataType types[] = {DataType::UByte, DataType::SWord, DataType::ULong, DataType::UInt64};
        const DataType type = types[round % 4];
        const int bits = static_cast<int>(sizeOf(type)) * 8;
        const int low = static_cast<int>(random() % static_cast<unsigned>(bits));
        const int width = 1 + static_cast<int>(random() % static_cast<unsigned>(std::min(40, bits - low)));
        Definition d;
        d.conversions.emplace_back();
        Layout layout;
        layout.items.push_back({1, Layout::Field::Values, 0, type});
        d.layouts.push_back(layout);
        Parameter p;
        p.name = "masked";
        p.bitMask = ((width == 64 ? 0 : uint64_t{1} << width) - 1) << low;
        p.lower = 0, p.upper = 1e18;
        p.byteOrder = round % 2 ? ByteOrder::BigEndian : ByteOrder::LittleEndian;
        d.parameters.push_back(p);
        d.index();
        Bytes memory(8);
        const uint64_t whole = random();
        storeUnsigned(memory.data(), sizeOf(type), *p.byteOrder, whole);
        image::Image image;
        EXPECT_OK(image.add(0, memory));
        Calibration calibration(std::make_shared<const Definition>(d), image);
        const uint64_t stored = loadUnsigned(memory.data(), sizeOf(type), *p.byteOrder);
        QCOMPARE(calibration.read("masked")->raw[0], static_cast<double>((stored & p.bitMask) >> low));
        const uint64_t wanted = random() & (p.bitMask >> low);
        const auto edit = calibration.prepare(calibration.definition().parameters[0],
                                              {{0, static_cast<double>(wanted)}}, AtLimit::Refuse, "set");
        EXPECT_OK(edit);
        EXPECT_OK(calibration.apply(*edit));
        const auto after = calibration.image().bytes(0, static_cast<uint32_t>(sizeOf(type)));
        EXPECT_OK(after);
        QCOMPARE(loadUnsigned(after->data(), sizeOf(type), *p.byteOrder), (stored & ~p.bitMask) | wanted << low);
    }
}

void RoundTripTest::halfPrecisionFollowsTheStandardsValues() {
    // IEEE 754-2008, binary16: bit patterns and what they mean.
    const std::pair<uint16_t, double> values[] = {{0x0000, 0},
                                                  {0x3C00, 1},
                                                  {0xC000, -2},
                                                  {0x7BFF, 65504},
                                                  {0x0400, 6.103515625e-5},
                                                  {0x0001, 5.9604644775390625e-8},
                                                  {0x3555, 0.333251953125},
                                                  {0x3BFF, 0.99951171875}};
    for (const auto& [bits, value] : values) {
        uint8_t bytes[2];
        storeUnsigned(bytes, 2, ByteOrder::BigEndian, bits);
        QCOMPARE(loadRaw(bytes, DataType::Float16, ByteOrder::BigEndian), value);
        storeRaw(bytes, DataType::Float16, ByteOrder::BigEndian, value);
        QCOMPARE(loadUnsigned(bytes, 2, ByteOrder::BigEndian), uint64_t{bits});
    }
    // Every finite half comes back as itself.
    for (uint32_t bits = 0; bits < 0x7C00; ++bits) {
        uint8_t bytes[2], again[2];
        storeUnsigned(bytes, 2, ByteOrder::LittleEndian, bits);
        storeRaw(again, DataType::Float16, ByteOrder::LittleEndian,
                 loadRaw(bytes, DataType::Float16, ByteOrder::LittleEndian));
        QVERIFY(std::memcmp(bytes, again, 2) == 0);
    }
}

void RoundTripTest::sixtyFourBitNumbersThatNobodyTouchesKeepEveryBit() {
    Definition d;
    d.conversions.emplace_back();
    Layout layout;
    layout.items.push_back({1, Layout::Field::Values, 0, DataType::UInt64});
    d.layouts.push_back(layout);
    Parameter p;
    p.name = "wide";
    p.lower = 0, p.upper = 2e19;
    d.parameters.push_back(p);
    d.index();
    image::Image image;
    EXPECT_OK(image.add(0, Bytes{0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0x01}));
    Calibration calibration(std::make_shared<const Definition>(d), image);
    const auto& parameter = calibration.definition().parameters[0];
    const double shown = calibration.read("wide")->values[0];
    QVERIFY(calibration.prepare(parameter, {{0, shown}}, AtLimit::Refuse, "same")->empty());
    const auto edit = calibration.prepare(parameter, {{0, 1.9e19}}, AtLimit::Clamp, "beyond");
    EXPECT_OK(edit);
    EXPECT_OK(calibration.apply(*edit));
    QCOMPARE(calibration.image().segments()[0].bytes, Bytes(8, 0xFF));
}

QTEST_APPLESS_MAIN(RoundTripTest)
#include "RoundTripTest.moc"
