// A changed definition is read whole off the interface thread before anybody sees the car through it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/DefinitionDesk.h"

#include "app/desks/Background.h"
#include "app/desks/Messages.h"
#include "core/job/Maps.h"

namespace brusk::app {

DefinitionDesk::DefinitionDesk(const CarInHand& car, Background& background, Messages& messages)
    : car_(car), background_(background), messages_(messages) {}

void DefinitionDesk::change(std::string text, std::function<void()> then) {
    if (!car_.kit || !car_.folder) return messages_.say(tr("No car with a known controller is open."), true);
    if (!car_.heldBy().isEmpty())
        return messages_.say(tr("The calibration is being flashed; edit the definition after it."), true);
    if (auto may = car_.mayWrite(); !may) return messages_.failed(may.error());
    if (keeping_) return messages_.say(tr("The change before is still being kept."), true);
    keeping_ = true;
    using Kept = Result<std::shared_ptr<const job::Kit>>;
    background_.each(
        this,
        [kit = car_.kit, folder = car_.folder, text = std::move(text)]() -> Kept {
            return job::keepOwnDefinition(kit, *folder, text);
        },
        [this, of = car_.folder, then = std::move(then)](Kept own) {
            keeping_ = false;
            if (!own) return messages_.failed(own.error());
            if (car_.folder != of) return;
            emit made(*own);
            then();
        });
}

}  // namespace brusk::app
