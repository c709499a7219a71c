// The made-up cars as they are sold.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/cars/Factory.h"

namespace brusk::benchcar {

namespace {

const std::vector<double> kHeronSpeeds = {600,  800,  1000, 1250, 1500, 1800, 2200, 2600,
                                          3000, 3500, 4000, 4500, 5000, 5600, 6200, 6800};
const std::vector<double> kHeronPressures = {15, 22, 30, 38, 48, 58, 70, 85, 100, 115, 130, 150, 175, 205};
const std::vector<double> kHeronLoads = {60, 110, 160, 210, 260, 320, 380, 440, 520, 620, 740, 900};
// The sportier Heron was calibrated by other people: other breakpoints.
const std::vector<double> kSportSpeeds = {700,  900,  1150, 1400, 1700, 2050, 2450, 2850,
                                          3300, 3800, 4300, 4850, 5400, 6000, 6600, 7100};
const std::vector<double> kSportPressures = {18, 26, 34, 43, 53, 64, 77, 92, 108, 124, 142, 164, 190, 225};
const std::vector<double> kSportLoads = {70, 125, 180, 240, 300, 365, 435, 510, 600, 710, 850, 1040};
const std::vector<double> kCraneSpeeds = {550,  750,  1000, 1300, 1600, 2000, 2400, 2800,
                                          3200, 3700, 4200, 4700, 5200, 5700, 6200, 6600};
const std::vector<double> kCranePressures = {14, 20, 26, 32, 38, 45, 52, 60, 68, 76, 84, 92, 100, 106};
const std::vector<double> kCraneLoads = {60, 100, 140, 180, 220, 265, 310, 355, 400, 450, 500, 560};

constexpr Parts kSportParts{
    {440, 900, 100}, {65.882, -6.353}, 76, kTameCams, {0.0240, 3.1e-4, 1.8e-5, 55}, 0.70, 0.312};
constexpr Build kHeronSport{"heron-s", kHeronEngine, kHeronChassis, kSportParts, {98, 0}};

}  // namespace

const std::vector<Model>& models() {
    static const std::vector<Model> all = {
        {"heron",
         "Fennmark Heron 1.6 T",
         &kHeronStock,
         {"HERON16T-FACTORY", kHeronSpeeds, kHeronPressures, kHeronLoads, 158, 850, 6700, 0, 3.0, 1.0},
         {"FMKHR16T0E2004711", "E2-0098-4417", "ALD-E2-HW03", "AE2-5127-C04"}},
        {"heron-s",
         "Fennmark Heron 1.6 S",
         &kHeronSport,
         {"HERON16S-FACTORY", kSportSpeeds, kSportPressures, kSportLoads, 172, 880, 7000, 0, 2.5, 1.35},
         {"FMKHR16S0E2001207", "E2-0104-2230", "ALD-E2-HW03", "AE2-5127-C04"}},
        {"crane",
         "Fennmark Crane 2.8",
         &kCraneStock,
         {"CRANE28-FACTORY", kCraneSpeeds, kCranePressures, kCraneLoads, 101.3, 720, 6500, 1, 3.0, 1.0},
         {"FMKCR28V0E2000352", "E2-0117-0086", "ALD-E2-HW05", "AE2-6208-V02"}}};
    return all;
}

const Build* buildNamed(std::string_view name) {
    for (const Build* build : {&kHeronStock, &kHeronFitted, &kCraneStock, &kCraneFitted})
        if (build->name == name) return build;
    return nullptr;
}

Build oneOf(Build build, uint64_t seed) {
    build.drawn = draw(seed, build.engine.cylinders);
    return build;
}

const Model& modelOf(const Build& build) {
    return *modelNamed(build.engine.banks == kCraneEngine.banks ? "crane" : "heron");
}

const Model* modelNamed(std::string_view name) {
    for (const Model& model : models())
        if (model.name == name) return &model;
    return nullptr;
}

}  // namespace brusk::benchcar
