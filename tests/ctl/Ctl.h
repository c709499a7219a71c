// bruskctl as a process of its own: what it was told, what it said, how it ended.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>

#include "Expect.h"

namespace brusk {

inline const QString kBin = BRUSK_BIN_DIR;
inline const QString kA2l = BRUSK_DATA_DIR "/heron/aldine-e2.a2l";

struct Ran {
    int code;
    QByteArray out;
    QByteArray err;
    QJsonObject object() const { return QJsonDocument::fromJson(out).object(); }
    QJsonArray array() const { return QJsonDocument::fromJson(out).array(); }
};

inline Ran ctl(const QStringList& arguments) {
    QProcess process;
    process.start(kBin + "/bruskctl", arguments);
    if (!process.waitForFinished(280000)) return {-1, {}, "it did not finish"};
    return {process.exitCode(), process.readAllStandardOutput(), process.readAllStandardError()};
}

}  // namespace brusk
