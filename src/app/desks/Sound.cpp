// Tones are made once and handed to the desktop, which knows where sound goes and how loud.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/Sound.h"

#include <canberra.h>

#include <QObject>
#include <QtEndian>
#include <algorithm>
#include <cmath>

namespace brusk::app {
namespace {

constexpr int kRate_Hz = 44100;

/// Two tones with soft edges, 16 bits, one channel, as a RIFF WAVE file.
QByteArray tones() {
    constexpr double kTone_s = 0.16, kEdge_s = 0.01, kLoud = 0.6 * 32767, kTurn = 6.283185307179586;
    QByteArray samples;
    for (const double pitch_Hz : {880.0, 660.0})
        for (int i = 0; i < static_cast<int>(kTone_s * kRate_Hz); ++i) {
            const double t = static_cast<double>(i) / kRate_Hz;
            const double soft = std::min({1.0, t / kEdge_s, (kTone_s - t) / kEdge_s});
            const auto value = qToLittleEndian(static_cast<qint16>(kLoud * soft * std::sin(kTurn * pitch_Hz * t)));
            samples.append(reinterpret_cast<const char*>(&value), 2);
        }
    const auto number = [](quint32 value, int bytes) {
        const quint32 little = qToLittleEndian(value);
        return QByteArray(reinterpret_cast<const char*>(&little), bytes);
    };
    const auto size = static_cast<quint32>(samples.size());
    return "RIFF" + number(36 + size, 4) + "WAVEfmt " + number(16, 4) + number(1, 2) + number(1, 2) +
           number(kRate_Hz, 4) + number(kRate_Hz * 2, 4) + number(2, 2) + number(16, 2) + "data" + number(size, 4) +
           samples;
}

}  // namespace

Sound::Sound(storage::FileSystem& files, const storage::Path& home) : file_(home / "warning.wav") {
    why_ = open(files);
    if (!why_.isEmpty()) why_ = QObject::tr("Guards are not heard: %1").arg(why_);
    play("-90");  // unheard: whether there is anything to play it
}

QString Sound::open(storage::FileSystem& files) {
    const QByteArray wave = tones();
    auto done = files.makeFolder(file_.parent_path());
    if (done)
        done = files.save(file_, {reinterpret_cast<const uint8_t*>(wave.data()), static_cast<size_t>(wave.size())});
    if (!done) return QString::fromStdString(done.error().text());
    if (ca_context_create(&context_) != CA_SUCCESS) return QObject::tr("the desktop has no sound.");
    ca_context_change_props(context_, CA_PROP_APPLICATION_NAME, "Brusk", CA_PROP_APPLICATION_ID, "brusk", nullptr);
    const int said = ca_context_open(context_);
    return said == CA_SUCCESS ? QString()
                              : QObject::tr("%1. Look at the desktop's sound settings.").arg(ca_strerror(said));
}

Sound::~Sound() {
    if (context_) ca_context_destroy(context_);
}

void Sound::play(const char* volume_dB) {
    if (!context_ || !why_.isEmpty()) return;
    const int said = ca_context_play(context_, 0, CA_PROP_MEDIA_FILENAME, file_.string().c_str(), CA_PROP_EVENT_ID,
                                     "dialog-warning", CA_PROP_MEDIA_ROLE, "event", CA_PROP_CANBERRA_VOLUME, volume_dB,
                                     CA_PROP_CANBERRA_CACHE_CONTROL, "permanent", nullptr);
    if (said != CA_SUCCESS)
        why_ = QObject::tr("Guards are not heard: this machine plays no sound (%1).").arg(ca_strerror(said));
}

void Sound::warn() {
    play("0");
}

}  // namespace brusk::app
