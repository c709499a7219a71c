// The one parser of rights.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/deliver/Rights.h"

#include "core/base/Say.h"
#include "core/deliver/Lines.h"

namespace brusk::deliver {
namespace {

constexpr May kAll[] = {May::Look, May::Change, May::Flash, May::Record};
constexpr const char* kTitle = "Brusk rights 1";

const char* yesNo(bool yes) {
    return yes ? "yes" : "no";
}

}  // namespace

const char* mayName(May may) {
    constexpr const char* names[] = {"look", "change", "flash", "record"};
    return names[static_cast<int>(may)];
}

std::optional<May> mayNamed(std::string_view name) {
    for (const May may : kAll)
        if (name == mayName(may)) return may;
    return std::nullopt;
}

std::string Allowed::text() const {
    std::string out;
    for (const May may : kAll)
        if (bits_ & bit(may)) out += (out.empty() ? "" : ",") + std::string(mayName(may));
    return out;
}

Result<Allowed> Allowed::parse(std::string_view text) {
    Allowed out;
    while (!text.empty()) {
        const size_t comma = text.find(',');
        const std::string_view one = text.substr(0, comma);
        const auto may = mayNamed(one);
        if (!may)
            return fail(ErrorCode::BadInput,
                        say("rights.unknown", "\"{0}\" can't be allowed; look, change, flash and record can.", {one}));
        out.add(*may);
        text = comma == std::string_view::npos ? std::string_view() : text.substr(comma + 1);
    }
    if (out.nothing())
        return fail(ErrorCode::BadInput, say("rights.none", "Say what may be done: look, change, flash or record."));
    return out;
}

std::string Rights::text() const {
    Lines out(kTitle);
    out.add("may", may.text());
    out.add("vin", car.vin);
    out.add("serial", car.serial);
    out.add("software", car.software);
    out.add("write-all-once", yesNo(writeAllOnce));
    out.add("allow-older", yesNo(allowOlder));
    out.add("way-back", yesNo(wayBack));
    out.add("maker", maker);
    out.add("maker-name", makerName);
    out.add("id", id);
    out.add("number", std::to_string(number));
    return out.text();
}

Result<Rights> Rights::parse(std::string_view text) {
    const auto unreadable = fail(
        ErrorCode::BadInput, say("rights.unreadable", "The rights of this round can't be read; it is not flashed."));
    const auto lines = Lines::parse(text, kTitle, "rights");
    if (!lines) return unreadable;
    const auto may = lines->one("may"), vin = lines->one("vin"), serial = lines->one("serial"),
               software = lines->one("software"), maker = lines->one("maker"), name = lines->one("maker-name"),
               id = lines->one("id");
    const auto once = lines->yes("write-all-once"), older = lines->yes("allow-older"), back = lines->yes("way-back");
    const auto number = lines->number("number");
    if (!may || !vin || !serial || !software || !maker || !name || !id || !once || !older || !back || !number)
        return unreadable;
    const auto allowed = Allowed::parse(*may);
    if (!allowed) return unreadable;
    return Rights{*allowed, {*vin, *serial, *software}, *once, *older, *back, *maker, *name, *id, *number};
}

Done fitsCar(const Binding& binding, const CarOnLink& car) {
    const auto differs = [&](const std::string& wanted, const std::string& told) {
        return !wanted.empty() && wanted != told && !(car.bootMode && told.empty());
    };
    if (differs(binding.vin, car.vin))
        return refuse("other-vin", say("rights.other-vin",
                                       "This calibration was sealed for the car {0}; the car on the link is {1}. Ask "
                                       "its maker for one for this car.",
                                       {binding.vin, car.vin}));
    if (differs(binding.serial, car.serial))
        return refuse("other-serial", say("rights.other-serial",
                                          "This calibration was sealed for the controller {0}; the one on the link is "
                                          "{1}. Ask its maker for one for this controller.",
                                          {binding.serial, car.serial}));
    if (differs(binding.software, car.software))
        return refuse("other-software", say("rights.other-software",
                                            "This calibration was sealed for the software {0}; the controller runs "
                                            "{1}. Ask its maker for one for this software.",
                                            {binding.software, car.software}));
    return {};
}

}  // namespace brusk::deliver
