// The definitions of both cars against the controller's own layout: every address, type, conversion and axis.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "Bench.h"
#include "core/calibration/Calibration.h"
#include "core/definition/A2lReader.h"
#include "core/image/ImageFile.h"

using namespace brusk;
using namespace brusk::benchcar;
using definition::Definition;

namespace {

struct Car {
    const char* file;
    const Build* build;
    const char* model;
};
const Car kCars[] = {{"/heron/aldine-e2.a2l", &kHeronStock, "heron"},
                     {"/crane/aldine-e2-v6.a2l", &kCraneStock, "crane"}};

definition::A2lContents definitionOf(const Car& car) {
    auto contents = definition::readA2l(readText(std::string(BRUSK_DATA_DIR) + car.file));
    if (!contents) qFatal("%s", contents.error().text().c_str());
    return std::move(*contents);
}

definition::DataType typeOf(Store store) {
    using definition::DataType;
    switch (store) {
        case Store::U8:
            return DataType::UByte;
        case Store::S8:
            return DataType::SByte;
        case Store::U16:
            return DataType::UWord;
        case Store::S16:
            return DataType::SWord;
        case Store::U32:
            break;
    }
    return DataType::ULong;
}

bool sameScale(const definition::Conversion& c, double perCount, double offset) {
    return std::abs(c.toPhysical(100) - c.toPhysical(0) - 100 * perCount) < 1e-6 * std::max(1.0, 100 * perCount) &&
           std::abs(c.toPhysical(0) - offset) < 1e-9;
}

std::string axisProblem(const Definition& d, const definition::Axis& axis, const Points& points,
                        const std::vector<definition::Layout::Item>& layout, int index) {
    using Kind = definition::Axis::Kind;
    if (axis.points != static_cast<uint32_t>(points.most)) return "another number of breakpoints";
    if (points.source == Points::Source::Fixed) {
        const bool same = axis.kind == Kind::Fixed && axis.fixed.size() == static_cast<size_t>(points.most) &&
                          axis.fixed.front() == points.first;
        return same ? "" : "not the fixed axis it is";
    }
    if (!sameScale(d.conversions[axis.conversion], points.perCount, points.offset)) return "another axis conversion";
    if (points.source == Points::Source::Shared) {
        const auto* shared = d.parameter(axis.shared);
        return axis.kind == Kind::Shared && shared && shared->address == points.sharedAt ? "" : "another shared axis";
    }
    if (axis.kind != Kind::Standard) return "not a standard axis";
    for (const auto& item : layout)
        if (item.field == definition::Layout::Field::AxisPoints && item.axis == index)
            return item.type == typeOf(points.store) ? "" : "another breakpoint type";
    return "no breakpoints in the layout";
}

/// What is wrong with a parameter of the definition against the controller's; empty when nothing is.
std::string problem(const Definition& d, const definition::Parameter& p, const Item& item) {
    using Kind = definition::Parameter::Kind;
    const Kind kinds[] = {Kind::Value, Kind::Value, Kind::Curve, Kind::Map, Kind::Block, Kind::Text, Kind::AxisPoints};
    if (p.kind != kinds[static_cast<size_t>(item.kind)]) return "another kind";
    if (p.address != item.at) return "another address";
    if (p.bitMask != item.mask) return "another bit";
    const auto& layout = d.layouts[p.layout].items;
    if (layout.back().type != typeOf(item.store)) return "another type";
    if (item.kind == Item::Kind::Text) return p.number == static_cast<uint32_t>(item.number) ? "" : "another length";
    if (item.kind == Item::Kind::Block && p.number != static_cast<uint32_t>(item.number)) return "another length";
    if (item.kind == Item::Kind::Axis && p.number != static_cast<uint32_t>(item.x.most)) return "another length";
    if (d.conversionOf(p).kind != definition::Conversion::Kind::Verbal &&
        !sameScale(d.conversionOf(p), item.perCount, item.offset))
        return "another conversion";
    const Points* points[] = {&item.x, &item.y};
    if (item.kind == Item::Kind::Axis) return "";
    size_t count = 0;
    for (const Points* axis : points)
        count += axis->source != Points::Source::None;
    if (p.axes.size() != count) return "another number of axes";
    for (size_t i = 0; i < count; ++i)
        if (auto wrong = axisProblem(d, p.axes[i], *points[i], layout, static_cast<int>(i)); !wrong.empty())
            return (i == 0 ? "x: " : "y: ") + wrong;
    return "";
}

bool endsWithTwo(std::string_view name) {
    return name.ends_with("_2") || name == "banks" || name == "bank_trim" || name == "pulse_2" ||
           name == "diag_narrowband_2_quiet";
}

/// Bytes a parameter may use.
uint32_t extent(const Item& item) {
    const auto axis = [](const Points& p) -> uint32_t {
        return p.source == Points::Source::Own ? 2 + static_cast<uint32_t>(p.most) * bytesOf(p.store) : 0;
    };
    uint32_t cells = static_cast<uint32_t>(item.number);
    if (item.kind == Item::Kind::Axis) return axis(item.x);
    for (const Points* p : {&item.x, &item.y})
        if (p->source != Points::Source::None) cells *= static_cast<uint32_t>(p->most);
    return axis(item.x) + axis(item.y) + cells * bytesOf(item.store);
}

}  // namespace

class DefinitionMatchTest : public QObject {
    Q_OBJECT
  private slots:
    void everyParameterIsDefinedAsTheControllerKeepsIt();
    void everyMeasurementIsDefinedAsTheControllerKeepsIt();
    void thereAreAsManyAsATunerExpects();
    void noTwoParametersShareBytesButForSwitches();
    void theFactoryCalibrationReadsWithinItsLimits_data();
    void theFactoryCalibrationReadsWithinItsLimits();
    void everythingIsExplainedAndHasItsGroupAndFunction();
    void functionsReadWhatOthersWrite();
    void theDonorHasOtherBreakpointsAndTheSameMeaning();
    void theDonorFileIsWhatItsFactoryWrote();
};

void DefinitionMatchTest::everyParameterIsDefinedAsTheControllerKeepsIt() {
    for (const Car& car : kCars) {
        const auto contents = definitionOf(car);
        for (const auto& note : contents.diagnostics)
            QVERIFY2(false, note.message.c_str());
        const Definition& d = contents.definition;
        for (const auto& p : d.parameters) {
            const Item* item = parameterNamed(p.name);
            QVERIFY2(item, p.name.c_str());
            const std::string wrong = problem(d, p, *item);
            QVERIFY2(wrong.empty(), (p.name + ": " + wrong).c_str());
        }
    }
    // Between them the two definitions know everything; what one lacks belongs to the other car's engine.
    const auto heron = definitionOf(kCars[0]), crane = definitionOf(kCars[1]);
    for (const Item* item : allParameters()) {
        const bool inHeron = heron.definition.parameter(item->name), inCrane = crane.definition.parameter(item->name);
        QVERIFY2(inHeron || inCrane, std::string(item->name).c_str());
        if (!inHeron) QVERIFY2(endsWithTwo(item->name), std::string(item->name).c_str());
        const bool boosts = item->at >= 0x8D4000 && item->at < 0x8D8000;
        const bool named = item->name.find("boost") != std::string_view::npos;
        if (!inCrane) QVERIFY2(boosts || named, std::string(item->name).c_str());
    }
}

void DefinitionMatchTest::everyMeasurementIsDefinedAsTheControllerKeepsIt() {
    std::set<std::string_view> known;
    for (const Car& car : kCars) {
        const auto contents = definitionOf(car);
        const Definition& d = contents.definition;
        for (const auto& m : d.measurements) {
            const Item* item = measurementNamed(m.name);
            QVERIFY2(item, m.name.c_str());
            QVERIFY2(m.address == item->at && m.type == typeOf(item->store), m.name.c_str());
            const auto& conversion = d.conversionOf(m);
            QVERIFY2(conversion.kind == definition::Conversion::Kind::Verbal ||
                         sameScale(conversion, item->perCount, item->offset),
                     m.name.c_str());
            known.insert(item->name);
        }
    }
    QCOMPARE(known.size(), allMeasurements().size());
}

void DefinitionMatchTest::thereAreAsManyAsATunerExpects() {
    const auto heron = definitionOf(kCars[0]).definition, crane = definitionOf(kCars[1]).definition;
    qInfo("Heron %zu parameters, %zu measurements; Crane %zu and %zu; controller %zu and %zu", heron.parameters.size(),
          heron.measurements.size(), crane.parameters.size(), crane.measurements.size(), allParameters().size(),
          allMeasurements().size());
    QVERIFY(heron.parameters.size() > 200 && heron.measurements.size() > 105);
    std::set<int> kinds;
    for (const auto& p : heron.parameters)
        kinds.insert(static_cast<int>(p.kind));
    QCOMPARE(kinds.size(), size_t{6});  // value, curve, map, block, text, axis
}

void DefinitionMatchTest::noTwoParametersShareBytesButForSwitches() {
    std::map<uint32_t, const Item*> taken;
    for (const Item* item : allParameters()) {
        const uint32_t sector = (item->at - map::kCalibration) / map::kCalibrationSector;
        const uint32_t end = item->at + extent(*item);
        // Nothing reaches into the checksum at the sector's end, whatever counts a broken flash holds.
        QVERIFY2(end <= map::kCalibration + (sector + 1) * map::kCalibrationSector - 4,
                 std::string(item->name).c_str());
        for (uint32_t at = item->at; at < end; ++at) {
            const auto found = taken.find(at);
            const bool free = found == taken.end() || (item->mask && found->second->mask);
            QVERIFY2(free, (std::string(item->name) + " lies on " +
                            std::string(found == taken.end() ? "" : found->second->name))
                               .c_str());
            taken[at] = item;
        }
    }
    std::set<uint32_t> ram;
    for (const Item* item : allMeasurements())
        for (uint32_t i = 0; i < bytesOf(item->store); ++i)
            QVERIFY2(ram.insert(item->at + i).second, std::string(item->name).c_str());
}

void DefinitionMatchTest::theFactoryCalibrationReadsWithinItsLimits_data() {
    QTest::addColumn<QString>("model");
    QTest::addColumn<int>("definition");
    QTest::newRow("Heron") << "heron" << 0;
    QTest::newRow("Heron S, the donor") << "heron-s" << 0;
    QTest::newRow("Crane") << "crane" << 1;
}

void DefinitionMatchTest::theFactoryCalibrationReadsWithinItsLimits() {
    QFETCH(QString, model);
    QFETCH(int, definition);
    ControllerMemory memory;
    programFlash(memory, *modelNamed(model.toStdString()));
    QVERIFY(flashIsValid(memory));
    image::Image image;
    EXPECT_OK(image.add(map::kFlash, ByteSpan(memory.flash().data(), memory.flash().size())));
    auto contents = definitionOf(kCars[definition]);
    const calibration::Calibration calibration(std::make_shared<const Definition>(std::move(contents.definition)),
                                               std::move(image));
    EXPECT_OK(calibration.matchesDefinition());
    for (const auto& p : calibration.definition().parameters) {
        const auto table = calibration.read(p);
        EXPECT_OK(table);
        for (const double v : table->values)
            QVERIFY2(v >= table->lower - 1e-6 && v <= table->upper + 1e-6,
                     qPrintable(QString("%1: %2").arg(QString::fromStdString(p.name)).arg(v)));
        for (const auto* axis : {&table->x, &table->y})
            for (size_t i = 1; i < axis->values.size(); ++i)
                QVERIFY2(axis->values[i] > axis->values[i - 1], p.name.c_str());
    }
    const auto ve = calibration.read("ve_map");
    const double rpm = ve->x.values[8], kPa = ve->y.values[6];
    QVERIFY(std::abs(ve->at(6, 8) - 100 * volumetricEfficiency(*modelNamed(model.toStdString())->build, rpm, kPa)) <
            0.02);
}

void DefinitionMatchTest::everythingIsExplainedAndHasItsGroupAndFunction() {
    for (const Car& car : kCars) {
        const Definition d = definitionOf(car).definition;
        for (const auto& p : d.parameters) {
            QVERIFY2(p.description.size() > 20 && p.description.ends_with('.'), p.name.c_str());
            QVERIFY2(p.label != p.name && !d.groupPath(p.name).empty(), p.name.c_str());
            QVERIFY2(!d.functionsOf(p.name).empty(), p.name.c_str());
        }
        for (const auto& m : d.measurements)
            QVERIFY2(!m.description.empty() && !d.groupPath(m.name).empty() && !d.functionsOf(m.name).empty(),
                     m.name.c_str());
        for (const char* group : {"Air", "Fuel", "Spark", "Idle", "Torque and pedal", "Limits", "Cooling", "Vehicle",
                                  "Diagnostics", "Identity"})
            QVERIFY2(std::any_of(d.groups.begin(), d.groups.end(),
                                 [&](const definition::Group& g) { return g.description == group; }),
                     group);
    }
}

void DefinitionMatchTest::functionsReadWhatOthersWrite() {
    const Definition d = definitionOf(kCars[0]).definition;
    const auto uses = d.functionsOf("pressure");
    QVERIFY(std::any_of(uses.begin(), uses.end(), [](const auto& u) { return u.function == "Inputs" && u.writes; }));
    QVERIFY(std::any_of(uses.begin(), uses.end(), [](const auto& u) { return u.function == "Air" && !u.writes; }));
    const auto axis = d.functionsOf("axis_speed");
    QVERIFY(std::any_of(axis.begin(), axis.end(), [](const auto& u) { return u.function == "Spark"; }));
    for (const auto& m : d.measurements) {
        const auto all = d.functionsOf(m.name);
        QVERIFY2(std::count_if(all.begin(), all.end(), [](const auto& u) { return u.writes; }) == 1, m.name.c_str());
    }
}

void DefinitionMatchTest::theDonorHasOtherBreakpointsAndTheSameMeaning() {
    ControllerMemory stock, donor;
    programFlash(stock, *modelNamed("heron"));
    programFlash(donor, *modelNamed("heron-s"));
    const auto& axis = layout::air.axisSpeed;
    const auto breakpoints = [](const ControllerMemory& m, const Item& item) {
        const auto bytes = m.at(item.at, 2 + 2 * static_cast<uint32_t>(item.x.most));
        return Message(bytes.begin(), bytes.end());
    };
    for (const Item* item : {&axis, &layout::kAxisPressure, &layout::kAxisLoad})
        QVERIFY(breakpoints(stock, *item) != breakpoints(donor, *item));
    // Looked up at the same place, the same engine fills alike: the surfaces differ by their breakpoints only.
    for (int rpm = 1500; rpm < 6000; rpm += 500)
        for (int kPa = 35; kPa < 160; kPa += 15) {
            const int a = stock.look(layout::air.veMap, rpm, kPa * 100),
                      b = donor.look(layout::air.veMap, rpm, kPa * 100);
            QVERIFY2(std::abs(a - b) < 150,
                     qPrintable(QString("%1 rpm %2 kPa: %3 %4").arg(rpm).arg(kPa).arg(a).arg(b)));
        }
    QVERIFY(donor.look(layout::boost.target, 4000, 10000) > stock.look(layout::boost.target, 4000, 10000) + 500);
    QVERIFY(donor.look(layout::torque.pedalMap, 3000, 5000) > stock.look(layout::torque.pedalMap, 3000, 5000));
}

void DefinitionMatchTest::theDonorFileIsWhatItsFactoryWrote() {
    ControllerMemory donor;
    programFlash(donor, *modelNamed("heron-s"));
    // When the factory changes, scripts/make-donor writes the file anew.
    const std::string text = readText(BRUSK_DATA_DIR "/heron/heron-s-donor.hex");
    const auto file = image::readImage(asBytes(text), image::Format::IntelHex);
    EXPECT_OK(file);
    size_t bytes = 0;
    for (const auto& segment : file->segments()) {
        const auto held = donor.at(static_cast<uint32_t>(segment.start), static_cast<uint32_t>(segment.bytes.size()));
        QVERIFY(std::equal(segment.bytes.begin(), segment.bytes.end(), held.begin(), held.end()));
        bytes += segment.bytes.size();
    }
    // What the file leaves out is what the flash leaves empty.
    const auto all = donor.at(map::kCalibration, map::kCalibrationSize);
    QVERIFY(bytes >= static_cast<size_t>(std::count_if(all.begin(), all.end(), [](uint8_t b) { return b != 0xFF; })));
}

QTEST_APPLESS_MAIN(DefinitionMatchTest)
#include "DefinitionMatchTest.moc"
