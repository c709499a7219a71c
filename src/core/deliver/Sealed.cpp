// The content of the envelope: the length of a text, the text, the image as the ledger packs it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Sealed.h"

#include "core/base/Say.h"
#include "core/carfolder/Schema.h"
#include "core/deliver/Lines.h"

namespace brusk::deliver {
namespace {

constexpr const char* kTitle = "Brusk calibration 1";

tl::unexpected<Error> unreadable() {
    return fail(ErrorCode::BadInput,
                say("sealed.unreadable",
                    "What is in this sealed calibration can't be read: it comes from a newer Brusk, or its maker's "
                    "Brusk is at fault."));
}

/// The rights that hold for everybody, with those of one person left open.
Result<Rights> commonRights(const Lines& lines) {
    const auto vin = lines.one("vin"), serial = lines.one("serial"), software = lines.one("software");
    const auto once = lines.yes("write-all-once"), older = lines.yes("allow-older"), back = lines.yes("way-back");
    const auto number = lines.number("number");
    if (!vin || !serial || !software || !once || !older || !back || !number) return unreadable();
    Rights out;
    out.car = {*vin, *serial, *software};
    out.writeAllOnce = *once;
    out.allowOlder = *older;
    out.wayBack = *back;
    out.number = *number;
    return out;
}

}  // namespace

Result<Bytes> seal(const Key& by, const image::Image& image, const Sealing& sealing, const std::string& made) {
    if (sealing.to.empty())
        return fail(ErrorCode::BadInput, say("sealed.nobody", "Say to whom it is sealed, and what they may do."));
    Lines lines(kTitle);
    lines.add("title", sealing.title);
    lines.add("note", sealing.note);
    lines.add("vin", sealing.rights.car.vin);
    lines.add("serial", sealing.rights.car.serial);
    lines.add("software", sealing.rights.car.software);
    lines.add("write-all-once", sealing.rights.writeAllOnce ? "yes" : "no");
    lines.add("allow-older", sealing.rights.allowOlder ? "yes" : "no");
    lines.add("way-back", sealing.rights.wayBack ? "yes" : "no");
    lines.add("number", std::to_string(sealing.rights.number));
    std::vector<Card> cards;
    for (const Person& person : sealing.to) {
        if (person.may.nothing())
            return fail(ErrorCode::BadInput,
                        say("sealed.nothing-allowed", "Say what {0} may do with it.", {person.card.name}));
        lines.add("may", base64(person.card.seal) + " " + person.may.text());
        cards.push_back(person.card);
    }
    const std::string text = lines.text();
    Bytes content(4);
    storeUnsigned(content.data(), 4, ByteOrder::LittleEndian, text.size());
    content.insert(content.end(), text.begin(), text.end());
    const Bytes packed = carfolder::packImage(image);
    content.insert(content.end(), packed.begin(), packed.end());
    return closeEnvelope(EnvelopeKind::Calibration, by, cards, content, made);
}

Result<SealedCalibration> unseal(ByteSpan file, const Key& key, const Home& home) {
    auto opened = openEnvelope(EnvelopeKind::Calibration, file, key, home);
    if (!opened) return tl::unexpected(opened.error());
    const ByteView view(opened->content);
    const auto length = view.u32(0);
    const auto text = length ? view.slice(4, *length) : std::nullopt;
    if (!text) return unreadable();
    const auto lines = Lines::parse(asText(*text), kTitle, "calibration");
    if (!lines) return unreadable();
    auto rights = commonRights(*lines);
    if (!rights) return tl::unexpected(rights.error());
    rights->maker = opened->head.by.fingerprint();
    rights->makerName = opened->head.by.name;
    rights->id = opened->head.id;
    const std::string me = base64(key.card().seal) + " ";
    for (const std::string& line : lines->all("may"))
        if (line.starts_with(me))
            if (const auto may = Allowed::parse(std::string_view(line).substr(me.size()))) rights->may = *may;
    if (key.card().sameKeys(opened->head.by)) rights->may = {May::Change};
    if (rights->may.nothing()) return unreadable();
    auto image = carfolder::unpackImage(view.slice(4 + *length, opened->content.size() - 4 - *length).value());
    if (!image) return unreadable();
    return SealedCalibration{std::move(opened->head), std::move(*rights), lines->maybe("title").value_or(""),
                             lines->maybe("note").value_or(""), std::move(*image)};
}

}  // namespace brusk::deliver
