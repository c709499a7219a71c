// Listens on the link's thread, matches and keeps on the window's.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/SensorDesk.h"

#include "app/desks/LinkDesk.h"
#include "app/desks/Messages.h"
#include "app/link/LinkParts.h"
#include "core/job/Import.h"

namespace brusk::app {

SensorDesk::SensorDesk(storage::FileSystem& files, storage::Path dataFolder, const CarInHand& car, LinkDesk& link,
                       Messages& messages)
    : files_(files), dataFolder_(std::move(dataFolder)), car_(car), link_(link), messages_(messages) {}

void SensorDesk::listen() {
    if (!link_.ready()) return;
    link_.run(Task::Listen, [this](LinkParts& open, const std::stop_token& stop) -> std::function<void()> {
        auto ears = job::listen(open.port(), 1, [stop] { return !stop.stop_requested(); });
        return [this, ears] {
            if (!ears) return link_.failed(ears.error());
            heard(*ears);
        };
    });
}

void SensorDesk::heard(const job::BusEars& ears) {
    ears_ = ears;
    look();
}

void SensorDesk::forget() {
    ears_ = {};
    offers_.clear();
    emit changed();
}

void SensorDesk::look() {
    if (library_.empty() && !ears_.heard().empty()) {
        std::vector<std::string> remarks;
        library_ = job::sensorLibrary(files_, own_.empty() ? std::vector{dataFolder_} : std::vector{dataFolder_, own_},
                                      remarks);
        for (const std::string& remark : remarks)
            messages_.say(QString::fromStdString(remark), true);
    }
    offers_ = job::sensorOffers(ears_, library_, car_.kit.get());
    emit changed();
}

void SensorDesk::openDescription(const storage::Path& dbc) {
    if (own_.empty()) return;
    if (auto done = job::keepDbc(files_, {own_.parent_path()}, dbc); !done) return messages_.failed(done.error());
    library_.clear();
    look();
    if (offers_.empty())
        messages_.say(tr("Nothing that %1 describes is heard on the bus now.")
                          .arg(QString::fromStdString(dbc.filename().string())));
}

void SensorDesk::load() {
    kept_ = car_.folder ? messages_.orSay(job::sensorsOf(*car_.folder)) : job::KeptSensors{};
    look();
}

void SensorDesk::use(const job::SensorOffer& offer) {
    job::put(kept_, offer.sensor, offer.file->text, car_.kit.get());
    keep();
}

Done SensorDesk::put(const drive::Sensor& sensor) {
    if (auto may = car_.mayWrite(); !may) return may;
    if (auto done = job::check(sensor, car_.kit.get()); !done) return done;
    job::put(kept_, sensor, {}, car_.kit.get());
    keep();
    return {};
}

void SensorDesk::remove(const drive::Sensor& sensor) {
    if (job::forget(kept_, sensor)) keep();
}

void SensorDesk::keep() {
    if (auto may = car_.mayWrite(); !may) return messages_.failed(may.error());
    if (auto done = job::keepSensors(*car_.folder, kept_); !done) return messages_.failed(done.error());
    emit keptChanged();
    look();
}

}  // namespace brusk::app
