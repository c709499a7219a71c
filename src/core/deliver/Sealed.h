// A calibration in an envelope: the image, what it is, and what each person may do with it.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/deliver/Envelope.h"
#include "core/deliver/Rights.h"
#include "core/image/Image.h"

namespace brusk::deliver {

struct Person {
    Card card;
    Allowed may;
};

/// What is to be sealed. Of `rights`, `may`, `maker` and `id` are filled in for each person.
struct Sealing {
    std::string title;
    std::string note;
    Rights rights;
    std::vector<Person> to;
};

/// Seals the image. Its maker may always change it. Refused when nobody besides is named, or a card can't be sealed to.
[[nodiscard]] Result<Bytes> seal(const Key& by, const image::Image& image, const Sealing& sealing,
                                 const std::string& made);

/// A sealed calibration as the owner of one key sees it.
struct SealedCalibration {
    EnvelopeHead head;
    Rights rights;
    std::string title;
    std::string note;
    image::Image image;
};
/// As openEnvelope() refuses.
[[nodiscard]] Result<SealedCalibration> unseal(ByteSpan file, const Key& key, const Home& home);

}  // namespace brusk::deliver
