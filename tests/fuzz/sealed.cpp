// Sealed calibrations and parcels come from anywhere; what is behind their signature is read by the same rules.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/carfolder/Schema.h"
#include "core/deliver/Envelope.h"
#include "core/deliver/Rights.h"

extern "C" int LLVMFuzzerTestOneInput(const uint8_t* data, size_t size) {
    using namespace brusk;
    (void)deliver::headOf(deliver::EnvelopeKind::Calibration, {data, size});
    (void)deliver::headOf(deliver::EnvelopeKind::Parcel, {data, size});
    (void)deliver::Rights::parse(asText({data, size}));
    (void)carfolder::unpackImage({data, size});
    return 0;
}
