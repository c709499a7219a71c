// A bench car on a virtual bus with a car folder of its own: what the tests of the job share.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QDir>
#include <QTemporaryDir>

#include "Expect.h"
#include "benchcar/VirtualBus.h"
#include "core/base/Text.h"
#include "core/job/Correct.h"
#include "core/job/FlashRound.h"
#include "core/job/ReadCar.h"
#include "core/job/Stock.h"

namespace brusk::job {

/// A bench car, its bus and its folder.
class Bench {
  public:
    explicit Bench(uint64_t seed = 1, const QString& where = {})
        : temporary(where.isEmpty() ? fastFolder() : where),
          car(benchcar::kHeronFitted, seed),
          bus(car),
          kit(*loadKit(files, BRUSK_DATA_DIR "/heron/aldine-e2.profile.json")) {
        auto made = carfolder::CarFolder::create(files, temporary.filePath("car").toStdString(), "car");
        if (!made) qFatal("%s", made.error().text().c_str());
        folder = std::move(*made);
    }
    link::Uds uds() { return {bus, kit->profile}; }
    /// Reads the car; fails the program when that fails.
    carfolder::Round read() {
        auto client = uds();
        const auto identity = link::identify(client);
        const auto outcome = readCar(client, *kit, *identity, *folder, ReadScope::Everything, {});
        if (!outcome) qFatal("%s", outcome.error().text().c_str());
        return outcome->round;
    }
    /// A round with one parameter changed.
    carfolder::Round change(const char* parameter, double value, int64_t parent) {
        const auto calibration = calibrationOf(*kit, *folder, parent);
        const auto edit = calibration->prepare(*kit->definition->parameter(parameter), {{0, value}},
                                               calibration::AtLimit::Refuse, parameter);
        const auto round = makeRound(*kit, *folder, parent, {*edit}, parameter, {});
        if (!round) qFatal("%s", round.error().text().c_str());
        return *round;
    }
    Result<link::FlashReport> flash(int64_t round, const link::OnProgress& progress = {},
                                    const FlashOptions& options = {}) {
        auto client = uds();
        return flashRound(client, *kit, *folder, round, options, progress);
    }
    carfolder::CarContents contents() const { return *folder->memory().contents(kit->profile.sectors()); }
    bool carHoldsExactly(int64_t round) const {
        const auto image = *folder->rounds().image(round);
        const auto held = image->bytes(benchcar::map::kFlash, benchcar::map::kFlashSize);
        return held && std::equal(held->begin(), held->end(), car.memory().flash().begin());
    }
    std::string sentence() const {
        const auto now = contents();
        const auto round = folder->rounds().byId(now.round.value_or(-1));
        const auto unfinished = folder->rounds().byId(now.unfinished ? now.unfinished->round : -1);
        return whatIsInTheCar(now, round ? &*round : nullptr, unfinished ? &*unfinished : nullptr);
    }
    /// Whether every sector that the ledger is sure of truly holds those bytes.
    bool accountIsTrue() const {
        const auto hashes = *folder->memory().sectorHashes();
        for (const auto& sector : kit->profile.sectors()) {
            const auto known = hashes.find(sector.start);
            if (known == hashes.end() || known->second.empty()) continue;
            const auto flash = car.memory().flash().subspan(sector.start - benchcar::map::kFlash, sector.length);
            if (sha256Hex(ByteSpan(flash.data(), flash.size())) != known->second) return false;
        }
        return true;
    }
    void letTimePass(double seconds) {
        const int64_t until = bus.now_us() + static_cast<int64_t>(seconds * 1e6);
        while (bus.now_us() < until)
            if (!bus.receive(until)) break;
    }

    /// In memory where there is such a folder: these tests sync thousands of times.
    static QString fastFolder() {
        return QDir("/dev/shm").exists() ? QString("/dev/shm/brusk-test-XXXXXX")
                                         : QDir::tempPath() + "/brusk-test-XXXXXX";
    }

    storage::RealFileSystem files;
    QTemporaryDir temporary;
    benchcar::BenchCar car;
    benchcar::VirtualBus bus;
    std::shared_ptr<const Kit> kit;
    std::unique_ptr<carfolder::CarFolder> folder;
};

}  // namespace brusk::job
