// The recordings of a car folder. A recording is in the ledger from its first block on; one that a dead program left
// growing, or that the ledger does not know, is taken in by what its head says when the folder is opened.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/carfolder/Rounds.h"

namespace brusk::recording {
struct Recording;
}

namespace brusk::carfolder {

enum class RecordingState {
    Open,      ///< it grows, or the program died while it grew
    Whole,     ///< ended as it should
    Recovered  ///< ended by a death; what was on the disk is kept
};
const char* stateName(RecordingState state);

/// What it was driven in; kept as it was said.
struct Conditions {
    std::string fuel;  ///< "RON 98", "E85 of the station at the bridge"
    std::optional<double> ethanol_pct;
    std::optional<double> octane_RON;
    std::string weather;
    std::string load;   ///< who and what was aboard
    std::string where;  ///< "road" or "dyno"
    std::string note;
    bool operator==(const Conditions&) const = default;
};

/// As kept (JSON), empty where nothing is said; and back: what can't be read is left out.
std::string conditionsJson(const Conditions& conditions);
Conditions conditionsFromJson(const std::string& text);

struct RecordingEntry {
    int64_t id = 0;
    std::optional<int64_t> round;  ///< none: imported, not bound
    std::string file;              ///< below recordings/
    std::string title;
    std::string startedAt;
    double duration_s = 0;
    int64_t samples = 0;
    int gaps = 0;
    RecordingState state = RecordingState::Whole;
    std::string imageSha256 = {};       ///< of the bytes that were in the car
    std::string definitionSha256 = {};  ///< of the definition that named the channels
    std::string channelsSha256 = {};    ///< of the channel set
    int64_t sheet = 0;                  ///< version of the build sheet; 0: none
    Conditions conditions = {};
};

class Recordings {
  public:
    Recordings(Database& database, const Rounds& rounds, storage::FileSystem& files, storage::Path folder)
        : database_(database), rounds_(rounds), files_(files), folder_(std::move(folder)) {}

    storage::Path path(const std::string& file) const { return folder_ / file; }
    [[nodiscard]] Result<std::vector<RecordingEntry>> of(int64_t round) const;  ///< in the order they were driven
    [[nodiscard]] Result<std::vector<RecordingEntry>> all() const;
    /// Enters one; its sheet is the newest unless it names one. With state Open it is one that begins.
    [[nodiscard]] Result<RecordingEntry> add(RecordingEntry entry);
    /// Its figures and state, now that it ended.
    [[nodiscard]] Done ended(const RecordingEntry& entry);
    /// Takes a recording in that came from elsewhere: under its name or the next that is free, bound to the round whose
    /// bytes its head names, or to none. Refused when it is in the ledger already (Conflict) or can't be read.
    [[nodiscard]] Result<RecordingEntry> takeIn(const std::string& name, ByteSpan bytes, const Conditions& conditions);
    /// Keeps a recording that was imported from another program's file: bound to a round where somebody says which, or
    /// where it names the bytes of one; to none otherwise. Refused when it is in the folder already (Conflict).
    [[nodiscard]] Result<RecordingEntry> keep(const std::string& name, const recording::Recording& recording,
                                              std::optional<int64_t> round);
    /// Says, or takes back, on which round it was driven.
    [[nodiscard]] Done bindTo(int64_t recording, std::optional<int64_t> round);
    [[nodiscard]] Done setConditions(int64_t recording, const Conditions& conditions);
    /// Takes in what a dead program left: entries that are still open, and files that no entry names. One sentence for
    /// each, for the user.
    [[nodiscard]] Result<std::vector<std::string>> adopt();

  private:
    /// Fills in what the file itself says; false when nothing in it can be read.
    bool readHead(RecordingEntry& entry) const;
    /// The round whose bytes, or whose calibration, were in the car; with its sheet.
    Done bind(RecordingEntry& entry) const;

    Database& database_;
    const Rounds& rounds_;
    storage::FileSystem& files_;
    storage::Path folder_;
};

}  // namespace brusk::carfolder
