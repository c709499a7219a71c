// torque: of pulls, from how the car gains speed.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/Text.h"
#include "core/job/Keeping.h"
#include "core/job/Torque.h"
#include "ctl/Links.h"

namespace brusk::ctl {
namespace {

using nlohmann::json;

struct Choice {
    std::vector<std::string> files;
    std::string sheet;
    double grade_pct = std::nan("");
};

Done torque(Context& c, const Choice& o) {
    const auto text = c.files.read(o.sheet);
    if (!text) return tl::unexpected(text.error());
    const auto sheet = job::buildSheetFromJson(std::string(text->begin(), text->end()));
    if (!sheet) return failBecause(o.sheet + " can't be read.", sheet.error());
    auto facts = job::roadFacts(*sheet);
    if (!facts) return fail(ErrorCode::NotFound, "The build sheet does not tell the car's mass and drag area.");
    if (!std::isnan(o.grade_pct)) facts->grade = o.grade_pct / 100;
    c.outcome.json = {{"pulls", json::array()}};
    for (const std::string& file : o.files) {
        auto read = recordingOf(c, file);
        if (!read) return failBecause(file + " can't be read.", read.error());
        const evidence::Sampled drive(std::make_shared<const recording::Recording>(std::move(*read)));
        const auto events = evidence::eventsOf(drive);
        for (const auto* pull : events.of(roles::kPull)) {
            const auto curve = evidence::roadTorque(drive, *pull, *facts);
            if (!curve) continue;
            json points = json::array();
            for (size_t i = 0; i < curve->torque_Nm.size(); ++i)
                points.push_back({{"engine_rpm", curve->speed_rpm[i]},
                                  {"torque_nm", curve->torque_Nm[i]},
                                  {"band_nm", evidence::TorqueCurve::kBand * curve->doubt_Nm[i]},
                                  {"power_kw", curve->power_kW(i)}});
            c.outcome.json["pulls"].push_back({{"recording", file},
                                               {"from_s", pull->from_s},
                                               {"to_s", pull->to_s},
                                               {"road_known", curve->known},
                                               {"coast_down", curve->coast.has_value()},
                                               {"iso_1585", curve->iso1585 ? json(*curve->iso1585) : json()},
                                               {"points", std::move(points)}});
            c.outcome.text += formatNumber(pull->from_s, 1) + " s  " + evidence::eventLine(*pull) + ": " +
                              job::torqueSentence(*curve) + "\n";
        }
    }
    if (c.outcome.json["pulls"].empty()) c.outcome.text = "No pull was found that is long enough.\n";
    return {};
}

}  // namespace

void addTorqueCommand(Command app, Context& c) {
    auto o = std::make_shared<Choice>();
    auto sub = app.command("torque", "torque and power of pulls, from how the car gains speed");
    sub.option("REC", o->files, "recordings").required();
    sub.option("--sheet", o->sheet, "build sheet that tells mass and drag area").required();
    sub.option("--grade", o->grade_pct, "of the road, per cent, where no coast-down follows");
    sub.run([o, &c] {
        if (auto done = torque(c, *o); !done) c.outcome.fail(done.error());
    });
}

}  // namespace brusk::ctl
