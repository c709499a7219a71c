// Opens the canister's valve where the loop is closed.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "benchcar/controller/Purge.h"

namespace brusk::benchcar {

namespace {
namespace L = layout;
}

int Purge::step(const Signals& s) {
    const int open = m_.get(L::purge.time) * 10, round = open + m_.get(L::purge.pause) * 10;
    ticks_ = s.engine == EngineState::Running && round > 0 ? (ticks_ + 1) % round : 0;
    const bool may = m_.on(L::purge.on) && s.engine == EngineState::Running && !s.fuelCut &&
                     s.coolant_i >= m_.get(L::purge.coolant) && s.pressure_c < m_.get(L::purge.pressureMost);
    // The pause comes first: the loop learns without the vapour.
    const int duty = may && ticks_ >= round - open ? m_.look(L::purge.duty, s.airflow_f / 5) : 0;
    m_.put(L::purgeSeen.duty, duty);
    return duty;
}

}  // namespace brusk::benchcar
