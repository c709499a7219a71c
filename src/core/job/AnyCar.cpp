// One request after the other; the first that fails is the error.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/job/AnyCar.h"

namespace brusk::job {

Result<ObdCar> askAnyCar(link::CanPort& port, bool clearFirst, const std::function<bool()>& goOn) {
    link::Obd obd(port);
    obd.setGoOn(goOn);
    ObdCar out;
    auto controllers = obd.discover();
    if (!controllers) return tl::unexpected(controllers.error());
    out.controllers = std::move(*controllers);
    if (clearFirst)
        if (auto done = obd.clear(out.controllers); !done) return tl::unexpected(done.error());
    const link::ObdController& first = out.controllers.front();
    auto vehicle = obd.vehicle(first);
    if (!vehicle) return tl::unexpected(vehicle.error());
    out.vehicle = std::move(*vehicle);
    auto values = obd.current(first, first.pids);
    if (!values) return tl::unexpected(values.error());
    out.values = std::move(*values);
    auto codes = obd.codes(out.controllers);
    if (!codes) return tl::unexpected(codes.error());
    out.codes = std::move(*codes);
    auto frozen = obd.freezeFrame(first);
    if (!frozen) return tl::unexpected(frozen.error());
    out.frozen = std::move(*frozen);
    return out;
}

}  // namespace brusk::job
