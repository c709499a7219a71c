// Which part a mixture's error belongs to: one fit of all that may be wrong at once, with what is known of each
// beforehand, and what can't be told apart in what was driven.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <initializer_list>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/evidence/Events.h"
#include "core/evidence/Steady.h"
#include "core/evidence/Taint.h"

namespace brusk::evidence {

/// Settled running at one manifold pressure and airflow, so that a minute of idle counts no more than a pull. Means;
/// NaN for what was not recorded.
struct MixtureCell {
    double pressure_kPa = 0, flow_kgh = 0, speed_rpm = 0;
    double open_ms = 0;     ///< pulse of the injectors less the dead time that the bytes say
    double warmer_K = 0;    ///< coolant over intake
    double byWideband = 0;  ///< share of it that only the wideband told
    /// ln of the air that the fuel speaks for over the air by speed-density and by the meter; a car with one of them,
    /// or a recording that does not say which, has that alone.
    double density = 0, meter = 0;
    double wideband = std::nan("");  ///< ln of what it reads over lambda asked, where a narrowband's loop holds that
    double doubt = 0;                ///< of either, a standard deviation
    size_t rows = 0;
};

/// One settled stretch, or the later half of a pull.
struct MixturePoint {
    size_t drive = 0;
    double from_s = 0;
    MixtureCell means;
    /// The cell it belongs to: of pressure, and of the airflow's logarithm.
    std::pair<int, int> place() const;
};
/// In the order in which they were driven.
std::vector<MixturePoint> mixturePoints(const Drives& drives, const std::vector<DriveEvents>& events,
                                        const std::vector<SteadyRow>& steady);
std::vector<MixtureCell> mixtureCells(std::span<const MixturePoint> points);

/// Unit of what is off by a share of itself.
inline constexpr std::string_view kShare = "share";

/// Something that may be wrong, with how its error shows in a cell.
struct Suspect {
    enum class Id : uint8_t {
        Flow,
        Stoichiometry,
        DeadTime,
        ExhaustAir,
        Vapour,
        Rail,
        Supply,
        Wideband,
        Meter,
        MeterLow,
        MeterScale,
        Filling,
        PressureOffset,
        FillingByPressure,
        FillingBySpeed,
        IntakeLeak,
        BoostLeak,
        ChargeTemperature,
        HeatSoak
    } id;
    std::string_view title;  ///< "injector flow"
    std::string_view unit;
    double usual;                 ///< how far it is off where nothing is broken: a standard deviation, in the unit
    double computed;              ///< the same on bytes that were computed and that no drive has corrected
    double broken;                ///< the same where it is
    double habit;                 ///< how far it is off anyway
    double expects;               ///< how far it is off where it is broken, for what is broken in one way only
    bool onlyAbove;               ///< can't be below nil
    std::string_view tells = {};  ///< what would tell it from others: a drive or a fact
};
std::span<const Suspect> suspects();
const Suspect& suspect(Suspect::Id id);

/// What is known of the car besides the drives. A fact narrows what it speaks of.
struct MixtureFacts {
    bool untuned = false;                    ///< the bytes are computed, and no drive has corrected them yet
    std::optional<double> poured = {};       ///< fuel filled in over fuel reckoned as injected, between two marks
    std::optional<double> deadTime_ms = {};  ///< of the injectors over what the bytes say, by their maker or a bench
    std::optional<bool> railFollows = {};    ///< a gauge says that the fuel pressure follows the manifold, or does not
    bool fuelTold = false;                   ///< what is in the tank was tested
    bool widebandCalibrated = false;         ///< in free air
};

/// The whole fit. Doubts are standard deviations, after the drives and the facts.
struct MixtureBlame {
    struct Part {
        const Suspect* suspect;
        double off, doubt;  ///< in the suspect's unit
        double alone;       ///< how far it is off if it alone is broken
        double aloneDoubt;  ///< the same as a standard deviation
        double chance;      ///< of that
    };
    std::vector<Part> parts;          ///< in the order of suspects()
    std::vector<double> correlation;  ///< of the doubts, parts x parts
    double chanceOfNothing = 1;       ///< that nothing is broken; what is left to one is something else
    double unexplained = 0;           ///< RMS of ln, after the fit
    /// How badly the best that can be said explains the cells, with their own doubt: nil and above, in units of ln.
    double misfit = 0;
    std::vector<MixtureCell> cells;
    std::vector<Stretch> where = {};  ///< the part of the drives that was asked, where it is not all
    struct Pair {
        const Suspect *one, *other;
        double correlation;
    };
    /// What remains unknown together, the closest first.
    std::vector<Pair> notApart;
    /// A sentence for each of those pairs that has one of `ids`; two at most.
    std::vector<std::string> notApartFrom(std::initializer_list<Suspect::Id> ids) const;
    /// Only where there are parts.
    const Part& of(Suspect::Id id) const;
    /// Nil where there are no parts.
    double chanceOf(std::initializer_list<Suspect::Id> ids) const;
    /// What a suspect adds to ln of the fuel asked for in a cell, by one of the models, if it alone is broken.
    double showsIn(const MixtureCell& cell, Suspect::Id id, bool byMeter) const;
};
/// Normal errors with normal priors: the posterior in closed form, once with every suspect as doubtful as a car that
/// nobody knows, for values and correlations, and once a suspect with that alone broken, for chances (by marginal
/// likelihood). Too few cells: no parts.
MixtureBlame whoIsToBlame(std::vector<MixtureCell> cells, const MixtureFacts& facts = {});
/// The same of all that was driven; whether the bytes are tuned the drives know.
MixtureBlame whoIsToBlame(const Drives& drives, MixtureFacts facts = {});
/// "Injector flow and filling can't be told apart (0.98); this would tell: ..."
std::string sentenceOf(const MixtureBlame::Pair& pair);

}  // namespace brusk::evidence
