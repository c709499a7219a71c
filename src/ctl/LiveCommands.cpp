// dtc, obd, interfaces: what a car says while it runs.
// SPDX-License-Identifier: GPL-3.0-or-later
#include <cmath>
#include <iostream>

#include "core/base/Text.h"
#include "core/job/TroubleCodes.h"
#include "core/link/Obd.h"
#include "core/link/SocketCan.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

void troubleCodes(Context& c, const LinkOptions& options, double seconds, bool clear) {
    const auto session = connect(c, options);
    if (!session) return c.outcome.fail(session.error());
    if (auto done = session->link->wait(seconds); !done) return c.outcome.fail(done.error());
    if (clear)
        if (auto done = session->uds->clearTroubleCodes(); !done) return c.outcome.fail(done.error());
    const auto codes = job::troubleCodes(*session->uds, session->kit());
    if (!codes) return c.outcome.fail(codes.error());
    c.outcome.json = json::array();
    for (const auto& code : *codes) {
        json frame = json::object();
        std::string frozen;
        for (const auto& value : code.frozen) {
            frame[value.label] = {{"value", value.value}, {"unit", value.unit}};
            frozen += "    " + value.label + ": " + formatNumber(value.value, 2) + " " + value.unit + "\n";
        }
        json parameters = json::array();
        for (const auto* parameter : code.parameters)
            parameters.push_back(parameter->name);
        c.outcome.json.push_back({{"code", code.code.name()},
                                  {"status", code.code.status},
                                  {"failing_now", code.code.failingNow()},
                                  {"confirmed", code.code.confirmed()},
                                  {"occurrences", code.occurrences},
                                  {"freeze_frame", frame},
                                  {"parameters", parameters}});
        c.outcome.text += code.code.name() + (code.code.failingNow() ? "  failing now" : "") +
                          (code.code.confirmed() ? "  confirmed" : "") + "\n" + frozen;
    }
    if (codes->empty()) c.outcome.text = "No trouble codes.\n";
}

json valuesJson(const std::vector<link::ObdValue>& values) {
    json out = json::array();
    for (const auto& value : values) {
        json entry = {{"pid", value.pid}, {"name", value.name}};
        if (value.text.empty())
            entry["value"] = value.value, entry["unit"] = value.unit;
        else
            entry["text"] = value.text;
        out.push_back(std::move(entry));
    }
    return out;
}

std::string valuesText(const std::vector<link::ObdValue>& values) {
    std::string out;
    for (const auto& value : values)
        out += "    " + value.name + ": " +
               (value.text.empty() ? formatNumber(value.value, 3) + " " + value.unit : value.text) + "\n";
    return out;
}

void obd(Context& c, const LinkOptions& options, double seconds, bool clear) {
    auto link = openLink(c, options);
    if (!link) return c.outcome.fail(link.error());
    if (auto done = (*link)->wait(seconds); !done) return c.outcome.fail(done.error());
    link::Obd obd(*(*link)->port);
    const auto controllers = obd.discover();
    if (!controllers) return c.outcome.fail(controllers.error());
    if (clear)
        if (auto done = obd.clear(*controllers); !done) return c.outcome.fail(done.error());
    c.outcome.json = {{"controllers", json::array()}};
    for (const auto& controller : *controllers) {
        const auto vehicle = obd.vehicle(controller);
        const auto values = obd.current(controller, controller.pids);
        const auto frozen = obd.freezeFrame(controller);
        if (!vehicle) return c.outcome.fail(vehicle.error());
        if (!values) return c.outcome.fail(values.error());
        if (!frozen) return c.outcome.fail(frozen.error());
        json entry = {{"id", controller.name()},
                      {"supported", controller.pids},
                      {"vin", vehicle->vin},
                      {"name", vehicle->controllerName},
                      {"calibrations", vehicle->calibrations},
                      {"verification_numbers", vehicle->verificationNumbers},
                      {"values", valuesJson(*values)}};
        c.outcome.text += "Controller " + controller.name() +
                          (vehicle->controllerName.empty() ? "" : " (" + vehicle->controllerName + ")") +
                          (vehicle->vin.empty() ? "" : ", VIN " + vehicle->vin) + "\n  Live values\n" +
                          valuesText(*values);
        if (*frozen) {
            entry["freeze_frame"] = {{"code", (*frozen)->code}, {"values", valuesJson((*frozen)->values)}};
            c.outcome.text += "  Freeze frame of " + (*frozen)->code + "\n" + valuesText((*frozen)->values);
        }
        c.outcome.json["controllers"].push_back(std::move(entry));
    }
    const auto codes = obd.codes(*controllers);
    if (!codes) return c.outcome.fail(codes.error());
    c.outcome.json["codes"] = json::array();
    for (const auto& code : *codes) {
        c.outcome.json["codes"].push_back(
            {{"code", code.name}, {"pending", code.pending}, {"controller", code.controller}});
        c.outcome.text += "  " + code.name + (code.pending ? ", pending" : ", stored") + "\n";
    }
    if (codes->empty()) c.outcome.text += "  No trouble codes.\n";
}

void interfaces(Context& c) {
    c.outcome.json = json::array();
    for (const auto& found : link::canInterfaces()) {
        c.outcome.json.push_back(
            {{"name", found.name}, {"up", found.up}, {"virtual", found.isVirtual}, {"bitrate", found.bitrate}});
        c.outcome.text += found.text() + "\n";
        if (!found.up) c.outcome.text += "Bring it up:\n" + link::bringUpLines(found.name, found.isVirtual) + "\n";
    }
    if (c.outcome.json.empty())
        c.outcome.text = "This machine has no CAN interface. Plug one in, or make a simulated one:\n" +
                         link::makeVirtualLines("vcan0") + "\n";
}

}  // namespace

void addLiveCommands(Command app, Context& c) {
    struct Options {
        LinkOptions link;
        std::string out;
        std::vector<std::string> names;
        double seconds = 0;
        bool force = false, clear = false;
    };
    const auto add = [&](const char* name, const char* help) {
        auto o = std::make_shared<Options>();
        auto sub = app.command(name, help);
        o->link.addTo(sub);
        sub.option("--route", o->link.route, "the bench car drives this route meanwhile");
        return std::pair{sub, o};
    };
    {
        auto [sub, o] = add("dtc", "read trouble codes with their freeze frames");
        sub.flag("--clear", o->clear, "clear them first");
        sub.option("--seconds", o->seconds, "wait this long before reading").range(0.0, 36000.0);
        sub.run([o = o, &c] { troubleCodes(c, o->link, o->seconds, o->clear); });
    }
    {
        auto [sub, o] = add("obd", "any car since 2008: who answers, VIN, live values, codes, freeze frame");
        sub.flag("--clear", o->clear, "clear codes first");
        sub.option("--seconds", o->seconds, "wait this long before reading").range(0.0, 36000.0);
        sub.run([o = o, &c] { obd(c, o->link, o->seconds, o->clear); });
    }
    app.command("interfaces", "the CAN interfaces of this machine").run([&c] { interfaces(c); });
}

}  // namespace brusk::ctl
