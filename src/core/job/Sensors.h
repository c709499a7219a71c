// The sensors of a car: found on the bus, kept in its folder, and put right afterwards in everything that was recorded.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <optional>

#include "core/carfolder/CarFolder.h"
#include "core/drive/Sensor.h"
#include "core/job/Garage.h"
#include "core/recording/Recording.h"

namespace brusk::job {

/// What a car folder keeps of them.
struct KeptSensors {
    std::vector<std::string> dbcs;       ///< texts of the DBC files that name the messages
    std::vector<drive::Sensor> sensors;  ///< also signals of the profile's own sensors that play something else here
};
[[nodiscard]] Result<KeptSensors> sensorsOf(const carfolder::CarFolder& folder);
[[nodiscard]] Done keepSensors(carfolder::CarFolder& folder, const KeptSensors& kept);
/// Adds one or takes the place of the one of the same name. Who plays a role plays it alone: others lose it, also the
/// profile's own, named by `kit` (which may be null). `dbc`: the text that describes its message, where it has one.
void put(KeptSensors& kept, const drive::Sensor& sensor, const std::string& dbc, const Kit* kit);
/// A signal as its message describes it, playing what it is likely to.
drive::Sensor asItComes(const can::DbcMessage& message, const can::DbcSignal& signal);
/// Takes one out; who was silenced for it plays again. False where it is not kept.
bool forget(KeptSensors& kept, const drive::Sensor& sensor);
/// BadInput says what can't be: no slope, a role nobody knows, a unit of another quantity, a channel that is not there.
[[nodiscard]] Done check(const drive::Sensor& sensor, const Kit* kit);

/// The kit with what the folder keeps; the same where it keeps nothing.
[[nodiscard]] Result<std::shared_ptr<const Kit>> withKeptSensors(std::shared_ptr<const Kit> kit,
                                                                 const carfolder::CarFolder& folder);
/// What the sensors that are recorded mean, for a recording's head.
std::string sensorsText(const std::vector<drive::Sensor>& sensors);
/// The messages that the kept sensors are of, as the kept DBC files describe them.
std::vector<can::DbcMessage> messagesOf(const KeptSensors& kept);
/// Makes a recording say what its sensors mean by what is known now: scaling, unit, range and role. A voltage that was
/// recorded before anybody knew of a sensor on it becomes one. What is kept in the file stays as it is.
void putRight(const std::vector<drive::Sensor>& now, recording::Recording& recording);

/// Listens to what others send on the bus by themselves.
class BusEars {
  public:
    struct Heard {
        can::CanFrame frame;  ///< the newest
        size_t count = 0;
        int64_t first_us = 0;
        double rate_hz() const;
    };
    void take(const can::CanFrame& frame);
    /// By id; those of extended ids behind the others.
    const std::map<std::pair<bool, uint32_t>, Heard>& heard() const { return heard_; }

  private:
    std::map<std::pair<bool, uint32_t>, Heard> heard_;
};
/// For so long, sending nothing. Cancelled when `goOn` says no.
[[nodiscard]] Result<BusEars> listen(link::CanPort& port, double seconds, const std::function<bool()>& goOn = {});

/// A description of messages, and where it is from.
struct SensorFile {
    std::string title;  ///< "tarn-l3"
    std::string text;
    std::vector<can::DbcMessage> messages;
};
/// Every DBC file below these folders; what can't be read is left out and said.
std::vector<SensorFile> sensorLibrary(storage::FileSystem& files, const std::vector<storage::Path>& folders,
                                      std::vector<std::string>& remarks);

/// A signal that is heard now and that somebody could use: with what it says.
struct SensorOffer {
    drive::Sensor sensor;
    const SensorFile* file = nullptr;  ///< into the library
    double value = 0;                  ///< now; NaN in a multiplexed frame that holds another
    double rate_hz = 0;
    std::string likely;  ///< why it is thought to play its role; empty where it plays none
};
/// Of the messages of the library that are heard and that the kit (or null) does not know yet; signals that look like a
/// role's first.
std::vector<SensorOffer> sensorOffers(const BusEars& ears, const std::vector<SensorFile>& library, const Kit* kit);
/// "Tarn L3 sends afr: 14.7 AFR, 50 times a second; it looks like wideband lambda."
std::string offerSentence(const SensorOffer& offer);

}  // namespace brusk::job
