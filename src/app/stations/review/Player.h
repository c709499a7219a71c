// The bar that plays the recording which is looked at, wherever it stands.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/widgets/PlayBar.h"

namespace brusk::app {

class Desks;

/// Shown while there is a recording and nobody drives.
PlayBar* makePlayBar(Desks& desks, const QString& suffix);

}  // namespace brusk::app
