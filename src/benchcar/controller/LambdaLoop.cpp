// Jump and ramp on the narrowband's side, and what is learned from them by zone.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/LambdaLoop.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
constexpr int kNearOne_4 = 150;  // asks for lambda 0.985 to 1.015 are left to the loop
}  // namespace

void LambdaLoop::powerUp() {
    shortFine_ = {};
    wasRich_ = {};
    switches_ = {};
}

bool LambdaLoop::ready(const Signals& s, bool failed) const {
    const bool afterCut = s.sinceCut > 0 && s.sinceCut < static_cast<uint32_t>(m_.get(L::loop.afterCut));
    return m_.on(L::loop.on) && !failed && s.coolant_i >= m_.get(L::loop.coolant) &&
           s.runTicks > static_cast<uint32_t>(m_.get(L::loop.wait)) * 10 && std::abs(s.lambda_4 - 10000) < kNearOne_4 &&
           !s.fuelCut && !afterCut && s.pressure_c < m_.get(L::loop.pressureMost) && s.rpm < m_.get(L::loop.speedMost);
}

int LambdaLoop::zone(const Signals& s) const {
    int zone = 0;
    while (zone < 3 && s.airflow_f / 5 >= m_.element(L::loop.learnBorders, zone))
        ++zone;
    return zone;
}

void LambdaLoop::step(Signals& s) {
    const int now = zone(s);
    for (size_t bank = 0; bank < 2; ++bank) {
        const bool here = bank < static_cast<size_t>(s.banks);
        const bool failed = bank == 0 ? s.narrowbandFailed : s.narrowband2Failed;
        const bool wasClosed = s.closed[bank];
        s.closed[bank] = here && ready(s, failed);
        if (!s.closed[bank])
            shortFine_[bank] = 0;
        else {
            if (!wasClosed) wasRich_[bank] = s.in.narrowband_mV[bank] > m_.get(L::loop.volts);
            swing(s, bank, now);
        }
        s.short_c[bank] = static_cast<int>(shortFine_[bank] / 1000);
        s.long_c[bank] = static_cast<int>(learnedFine_[bank][static_cast<size_t>(now)] / 1000000);
    }
    const auto state = [&](size_t bank) { return s.closed[bank] ? 1 : s.engine == EngineState::Stopped ? 0 : 2; };
    m_.put(L::loopSeen.shortTrim, s.short_c[0]);
    m_.put(L::loopSeen.longTrim, s.long_c[0]);
    m_.put(L::loopSeen.shortTrim2, s.short_c[1]);
    m_.put(L::loopSeen.longTrim2, s.long_c[1]);
    m_.put(L::loopSeen.state, state(0));
    m_.put(L::loopSeen.state2, s.banks > 1 ? state(1) : 0);
    m_.put(L::loopSeen.zone, now);
    m_.put(L::loopSeen.switches, switches_[0]);
    m_.put(L::loopSeen.switches2, switches_[1]);
    const Item* learned[2][4] = {
        {&L::loopSeen.learned0, &L::loopSeen.learned1, &L::loopSeen.learned2, &L::loopSeen.learned3},
        {&L::loopSeen.learned20, &L::loopSeen.learned21, &L::loopSeen.learned22, &L::loopSeen.learned23}};
    for (size_t bank = 0; bank < 2; ++bank)
        for (size_t i = 0; i < 4; ++i)
            m_.put(*learned[bank][i], learnedFine_[bank][i] / 1000000);
}

void LambdaLoop::swing(Signals& s, size_t bank, int zone) {
    const int flow = s.airflow_f / 5;
    const bool rich = s.in.narrowband_mV[bank] > m_.get(L::loop.volts);
    const int64_t limit = int64_t{m_.get(L::loop.limit)} * 100 * 1000;
    int64_t& fine = shortFine_[bank];
    if (rich != wasRich_[bank]) {
        // The bias makes the jump towards rich larger than that towards lean: the mean moves by half of it.
        const int jump = m_.look(L::loop.jump, flow) + (rich ? -1 : 1) * m_.get(L::loop.bias);
        fine += (rich ? -1 : 1) * int64_t{std::max(0, jump)} * 1000;
        ++switches_[bank];
        wasRich_[bank] = rich;
    }
    fine += (rich ? -1 : 1) * int64_t{m_.look(L::loop.ramp, flow)} * 10;
    fine = std::clamp(fine, -limit, limit);
    if (!m_.on(L::loop.learnOn) || s.coolant_i < m_.get(L::loop.learnCoolant)) return;
    // Ten milliseconds of (rate 0.1 % a second) of the short trim.
    const int64_t most = int64_t{m_.get(L::loop.learnLimit)} * 100 * 1000000;
    int64_t& learned = learnedFine_[bank][static_cast<size_t>(zone)];
    learned = std::clamp(learned + fine * m_.get(L::loop.learnRate) / 100, -most, most);
}

}  // namespace brusk::benchcar
