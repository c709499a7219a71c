// What the Review station shows: the recordings of the round that is looked at, one of them at a moment, and what its
// drives say of the cells of the map.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/stations/RoundPresenter.h"
#include "app/stations/review/ReviewLanes.h"
#include "core/evidence/Finding.h"
#include "core/evidence/MapSamples.h"

namespace brusk::app {

class ReviewPresenter : public RoundPresenter {
    Q_OBJECT
  public:
    explicit ReviewPresenter(Desks& desks, QObject* parent = nullptr);

    /// A round is looked at, perhaps another one; true when its list is another than that of before.
    bool look();
    const std::vector<carfolder::RecordingEntry>& recordings() const { return recordings_; }
    /// Those that are in the folder and bound to no round stand behind those of the round.
    bool isBound(size_t recording) const { return recordings_[recording].round.has_value(); }
    /// Says that one of them was driven on the round that is looked at.
    void bind(size_t recording);
    /// Opens a file on the import page, and which it is; empty while none is.
    void open(const QString& path);
    QString importedPath() const;
    /// One that is in no folder.
    void lookAt(const std::shared_ptr<const recording::Recording>& recording, const QString& title);
    /// Loads one of the recordings; the newest asking counts.
    void load(size_t recording);
    /// The one that was loaded last.
    const std::shared_ptr<const recording::Recording>& recording() const { return recording_; }
    /// What is drawn of it.
    const std::vector<ReviewLane>& lanes() const { return lanes_; }

    /// What happens in it, kind by kind in the order of the table; empty while that is looked for.
    const evidence::DriveEvents& events() const { return events_; }
    /// All that is known of one, in the units that are wished for, as rich text.
    QString figures(const evidence::FoundEvent& event) const;

    /// What is wrong in what was driven on the round, most serious first; nothing looked while that is looked for.
    const evidence::Findings& findings() const;
    /// What could not be looked for, a line each: the check, and the channels to record next time.
    QString couldNot() const;
    /// Which of the recordings a stretch is of; nothing where it is in the list no more.
    std::optional<size_t> recordingOf(const evidence::Stretch& where) const;
    /// The one that was loaded last is that one.
    bool looksAt(size_t recording) const { return recording_ && recordings_[recording].file == file_; }
    /// Lays the lanes out for these roles; none: as usual.
    void layOut(const std::vector<roles::Role>& lanes);
    /// The same for a pull, with its torque from the road where the build sheet tells what that needs.
    void layOutPull(const evidence::FoundEvent& pull);
    /// Of the pull that the lanes are laid out for, a sentence; empty where nobody can tell.
    const QString& torque() const { return torque_; }
    /// How many samples of a finding lie in each cell of the map; empty where that is not known.
    std::vector<uint32_t> cellsOf(const evidence::Finding& finding) const;
    /// What it taints is not learned from; somebody may put it back, and leave it out again.
    bool isLeftOut(const evidence::Finding& finding) const;
    void putBack(const evidence::Finding& finding, bool back);
    /// What it means and what to do, as rich text.
    static QString checkOf(const evidence::Finding& finding) {
        return QString::fromUtf8(finding.check.data(), static_cast<int>(finding.check.size()));
    }
    static QString meaning(const evidence::Finding& finding);
    /// Where it is put right.
    void goTo(const evidence::Finding::Place& place);

    /// The map whose cells are shown, of the bytes that were in the car; without values while that is not known.
    const calibration::Table& map() const { return map_; }
    /// What all drives of the round say of it; null while that is not known.
    const evidence::MapSamples* samples() const { return samples_.get(); }
    /// The same, a number for each cell.
    const std::vector<evidence::CellStat>& cells() const { return cells_; }
    /// What was found, a sentence, or what is waited for.
    struct Finding {
        QString sentence;
        const char* role = "faint";
    };
    Finding finding() const;
    /// Moments of the loaded recording in a cell, s.
    std::vector<double> moments(size_t cell) const;

    // Where the recording that is looked at stands; nothing while another is.
    std::optional<double> moment() const;
    bool playing() const;
    void setMoment(double time_s);
    void playOrHalt();
    /// Where the engine is on the map's axes then, in the axes' units.
    std::optional<std::pair<double, double>> place() const;

  signals:
    void recordingLoaded();
    void lanesLaidOut();
    void eventsFound();
    void findingsFound();
    void cellsChanged();
    void momentChanged();

  private:
    void refreshCells();
    /// Off the interface thread: what is looked at, with its lanes.
    struct Looked {
        std::shared_ptr<const recording::Recording> recording;
        std::vector<ReviewLane> lanes;
    };
    static Looked look(std::shared_ptr<const recording::Recording> recording);
    void show(Looked looked, const QString& title);

    std::vector<carfolder::RecordingEntry> recordings_;
    QString shown_;  ///< folder, round and number of recordings in the list
    std::shared_ptr<const recording::Recording> recording_;
    std::vector<ReviewLane> lanes_;
    evidence::DriveEvents events_;
    QString torque_;
    std::vector<roles::Role> asked_;                   ///< for which the lanes are laid out
    std::shared_ptr<const evidence::Drives> foundIn_;  ///< whose findings are shown
    std::vector<std::string> putBack_;                 ///< checks whose taints count all the same
    std::string file_;                                 ///< of the recording
    bool noMap_ = false;
    calibration::Table map_;
    std::shared_ptr<const evidence::Drives> drives_;  ///< whose samples are shown
    std::shared_ptr<const evidence::MapSamples> samples_;
    std::vector<evidence::CellStat> cells_;
};

}  // namespace brusk::app
