// A warning that is heard: through the desktop's own sound.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include "core/storage/FileSystem.h"

struct ca_context;

namespace brusk::app {

class Sound {
  public:
    /// `home`: where the tones are kept.
    Sound(storage::FileSystem& files, const storage::Path& home);
    ~Sound();
    Sound(const Sound&) = delete;
    Sound& operator=(const Sound&) = delete;

    /// Why nothing is heard, a sentence; empty while sound can be made.
    const QString& silentBecause() const { return why_; }
    /// Two short tones; what still sounds is not waited for.
    void warn();

  private:
    /// What went wrong; empty where nothing did.
    QString open(storage::FileSystem& files);
    void play(const char* volume_dB);

    ca_context* context_ = nullptr;
    storage::Path file_;
    QString why_;
};

}  // namespace brusk::app
