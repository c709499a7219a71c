// The made-up cars' calibrations, build sheets and what a test asks of a plan.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <cmath>
#include <functional>
#include <set>

#include "Expect.h"
#include "JobBench.h"
#include "benchcar/cars/Factory.h"
#include "core/calibration/RoleUnits.h"
#include "core/calibration/Surface.h"
#include "core/job/Donors.h"
#include "core/job/Keeping.h"
#include "core/proposals/Consistency.h"
#include "core/proposals/Stages.h"

using namespace brusk;
using namespace brusk::proposals;

/// A demo car's calibration as it left the factory.
inline calibration::Calibration factory(const char* model, const char* profile) {
    storage::RealFileSystem files;
    const auto kit = job::loadKit(files, std::string(BRUSK_DATA_DIR) + profile);
    if (!kit) qFatal("%s", kit.error().text().c_str());
    benchcar::ControllerMemory memory;
    benchcar::programFlash(memory, *benchcar::modelNamed(model));
    image::Image image;
    const auto flash = memory.flash();
    if (!image.add(benchcar::map::kFlash, Bytes(flash.begin(), flash.end()))) qFatal("no image");
    return {(*kit)->definition, std::move(image)};
}

inline calibration::Calibration heron() {
    static const auto made = factory("heron", "/heron/aldine-e2.profile.json");
    return made;
}

inline calibration::Calibration crane() {
    static const auto made = factory("crane", "/crane/aldine-e2-v6.profile.json");
    return made;
}

inline BuildSheet demoSheet() {
    return *job::buildSheetFromJson(readText(BRUSK_DATA_DIR "/heron/build-sheet.json"));
}

/// A conversion whose numbers are `factor` times the old ones plus `offset`, under another unit.
inline size_t retold(definition::Definition& d, size_t conversion, const char* unit, double factor, double offset = 0) {
    auto c = d.conversions[conversion];
    c.name += std::string("_in_") + unit;
    c.unit = unit;
    c.decimals = 4;
    if (c.kind == definition::Conversion::Kind::Linear) {
        c.a *= factor;
        c.b = c.b * factor + offset;
    } else {  // stored = b x physical
        c.c = -c.b * offset / factor;
        c.b /= factor;
    }
    d.conversions.push_back(c);
    return d.conversions.size() - 1;
}

/// A sheet with these fitted and stock numbers.
inline BuildSheet sheetOf(std::initializer_list<std::tuple<Fact, double, double>> facts) {
    BuildSheet sheet;
    for (const auto& [fact, stock, fitted] : facts) {
        sheet.of(fact) = fitted;
        if (kindOf(fact).compared) sheet.of(fact, false) = stock;
    }
    return sheet;
}

inline const calibration::Table& after(const BasePlan& plan, const char* id, size_t change = 0) {
    const Proposal* p = plan.find(id);
    if (!p || p->changes.size() <= change) qFatal("no proposal %s", id);
    return p->changes[change].after;
}

inline const calibration::Table& before(const BasePlan& plan, const char* id, size_t change = 0) {
    const Proposal* p = plan.find(id);
    if (!p || p->changes.size() <= change) qFatal("no proposal %s", id);
    return p->changes[change].before;
}

/// The change that a proposal makes to the parameter with a role; fails the program when there is none.
inline const Change& changeOf(const BasePlan& plan, const char* id, const char* role) {
    const Proposal* p = plan.find(id);
    if (!p) qFatal("no proposal %s", id);
    for (const Change& change : p->changes)
        if (change.parameter().role == role) return change;
    qFatal("%s leaves %s alone", id, role);
}

inline bool near(double a, double b, double tolerance) {
    if (std::abs(a - b) <= tolerance) return true;
    qInfo("%g against %g", a, b);
    return false;
}

inline const Waiting* waits(const BasePlan& plan, const char* id) {
    const auto at = std::find_if(plan.waiting.begin(), plan.waiting.end(), [&](const auto& w) { return w.id == id; });
    return at == plan.waiting.end() ? nullptr : &*at;
}
