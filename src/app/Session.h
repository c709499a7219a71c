// The one owner of what the stations share: the car folder, the selected round and its calibration, the edits, the link
// and what runs on it. Stations observe it and never talk to each other.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>
#include <atomic>
#include <functional>
#include <future>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <stop_token>

#include "app/Background.h"
#include "app/LinkThread.h"
#include "core/calibration/SharedBytes.h"
#include "core/job/Correct.h"
#include "core/job/Donors.h"
#include "core/job/Drive.h"
#include "core/job/FlashRound.h"
#include "core/job/Maps.h"
#include "core/job/ReadCar.h"
#include "core/job/TroubleCodes.h"
#include "core/link/Obd.h"
#include "core/units/Units.h"

namespace brusk::app {

enum class LinkState { Closed, Connecting, Open, Lost };

/// What runs on the link; one at a time, each with a stop of its own.
enum class Task { None, Connect, AskIdentity, Read, Flash, Compare, Codes, Obd, Drive };
/// As the footer says it.
QString taskTitle(Task task);

/// A car that answers OBD requests, whatever its controller is.
struct ObdCar {
    std::vector<link::ObdController> controllers;
    link::ObdVehicle vehicle;  ///< of the first controller
    std::vector<link::ObdValue> values;
    std::vector<link::ObdCode> codes;
    std::optional<link::Obd::Frozen> frozen;
};

/// A route of the bench car as the interface lists it.
struct RouteChoice {
    std::string name;
    std::string title;
    double seconds = 0;  ///< 0: not known before it is made
};
const std::vector<RouteChoice>& routeChoices();
/// The route that is made of the cells the round in the car has no samples of.
inline constexpr const char* kUnseenCells = "unseen-cells";

class Session : public QObject {
    Q_OBJECT
  public:
    Session(storage::FileSystem& files, storage::Path dataFolder, QObject* parent = nullptr);
    ~Session() override;

    // --- the car folder
    [[nodiscard]] Done openFolder(const storage::Path& path);
    [[nodiscard]] Done createFolder(const storage::Path& path, const std::string& carName);
    carfolder::CarFolder* folder() { return folder_.get(); }
    const job::Kit* kit() const { return kit_.get(); }
    std::shared_ptr<carfolder::CarFolder> sharedFolder() { return folder_; }
    std::shared_ptr<const job::Kit> sharedKit() const { return kit_; }
    const std::vector<carfolder::Round>& rounds() const { return rounds_; }
    const carfolder::CarContents& carContents() const { return contents_; }
    QString carSentence() const;
    const proposals::BuildSheet& buildSheet() const { return sheet_; }
    void setBuildSheet(const proposals::BuildSheet& sheet);
    /// The demo's build sheet, when this car folder has none of its own yet.
    void offerBuildSheet(const storage::Path& file);

    // --- parts to choose from: those that ship with Brusk, and one's own
    const std::vector<proposals::Part>& parts() const { return parts_; }
    /// Where one's own parts are kept, for every car.
    void setOwnParts(const storage::Path& file);
    void keepPart(const proposals::Part& part);
    void forgetPart(const proposals::Part& part);

    // --- the selected round
    const carfolder::Round* selected() const;
    const carfolder::Round* roundById(int64_t id) const;
    void selectRound(int64_t id);
    const calibration::Calibration* calibration() const { return calibration_ ? &*calibration_ : nullptr; }
    /// What edits are compared with: the parent of the selected round, unless another reference was chosen.
    const calibration::Calibration* reference() const { return reference_.get(); }
    QString referenceName() const { return referenceName_; }
    /// Everything that can be held beside the selected round: "parent", "original", "round:7", "donor:0".
    struct ReferenceChoice {
        QString key;
        QString name;
    };
    std::vector<ReferenceChoice> referenceChoices() const;
    QString referenceKey() const { return referenceKey_; }
    void setReference(const QString& key);
    std::shared_ptr<const calibration::Calibration> referenceNamed(const QString& key) const;
    /// Other cars' calibrations that the folder keeps; there once they are read.
    const std::vector<job::DonorPtr>& donors() const { return donors_; }
    void setDonorSheet(const job::DonorPtr& donor, const proposals::BuildSheet& sheet);
    /// A calibration from a file, kept in the folder and held beside ours; `definitionFile` empty: seen through our own
    /// definition.
    [[nodiscard]] Done addDonor(const storage::Path& image, const storage::Path& definitionFile);
    /// Which parameters lie on the same bytes, in the selected calibration; null until that is known.
    const calibration::SharedBytes* sharedBytes() const;
    /// The recordings behind the selected round, or behind its nearest ancestor that has some; loaded off this thread.
    std::shared_ptr<const evidence::Drives> driven() const { return driven_; }
    void loadRecordings();
    /// Whether edits may go to the hardware's limits, where the definition knows them.
    bool hardwareLimits() const { return hardwareLimits_; }
    void setHardwareLimits(bool allow);

    // --- a recording that is looked at, at rest or played
    struct Playback {
        std::shared_ptr<const recording::Recording> recording;
        QString title;
        double time_s = 0;
        double rate = 1;  ///< seconds of the recording a second
        bool playing = false;
    };
    const Playback& playback() const { return playback_; }
    void lookAt(std::shared_ptr<const recording::Recording> recording, const QString& title);
    void setMoment(double time_s);
    void play(bool on);
    void setPlayRate(double rate);
    /// Whether there is a "now": a drive runs, or a recording is looked at.
    bool hasNow() const { return driving() || playback_.recording; }
    /// What a channel says now; NaN when nothing does.
    double valueNow(const std::string& channel) const;

    // --- the definition
    /// Keeps an edited definition in the car folder and uses it from now on. Reads it off this thread; `then` is called
    /// on it when it is in use.
    void changeDefinition(std::string text, std::function<void()> then);

    // --- units
    const units::Preferences& unitPreferences() const { return units_; }
    /// Only the wanted units are taken; the fuel is the build sheet's.
    void setUnitPreferences(const units::Preferences& preferences);
    /// Makes an edit on the selected round; on one that is not a draft it begins a new draft.
    [[nodiscard]] Done edit(const calibration::Edit& edit);
    void undo();
    void redo();
    const calibration::EditHistory& history() const { return history_; }
    [[nodiscard]] Result<carfolder::Round> makeRound(const std::vector<calibration::Edit>& edits,
                                                     const std::string& title, const std::string& note);
    void saveDraftNow();

    // --- the link
    LinkState linkState() const { return linkState_; }
    QString linkText() const { return linkText_; }
    QString linkName() const { return linkName_; }
    QString linkWhy() const { return linkWhy_; }
    const link::Identity* identity() const { return identity_ ? &*identity_ : nullptr; }
    bool linkIsBenchCar() const { return link_ && link_->hasBenchCar(); }
    /// What does not fit between the controller, its profile and its definition, a sentence; empty when all does.
    QString mismatch() const { return mismatch_; }
    /// What the folder keeps of the controller that was read; null before.
    const link::Identity* keptIdentity() const { return keptIdentity_ ? &*keptIdentity_ : nullptr; }
    /// The car as anybody can ask it, where no profile knows its controller.
    const ObdCar* obdCar() const { return obdCar_ ? &*obdCar_ : nullptr; }
    link::PortStatus portStatus() const { return link_ ? link_->status() : link::PortStatus{}; }
    std::shared_ptr<const link::TrafficLog> traffic() const { return link_ ? link_->sharedTraffic() : nullptr; }
    /// Writes all frames of this link as a candump log.
    void saveTraffic(const storage::Path& path);
    /// "bench", "unix:PATH" or "socketcan:INTERFACE".
    void connectLink(const QString& choice);
    /// False when a flash holds the link; that is said.
    bool disconnectLink();
    void setBenchCable(bool plugged);
    /// Weather, fuel and faults of the bench car; taken at once, while it drives too.
    void orderBenchCar(const BenchOrders& orders);
    const BenchOrders& benchOrders() const { return *benchOrders_; }
    bool benchCablePlugged() const { return cablePlugged_; }
    /// Simulated seconds a second for reading, flashing and driving the bench car; 0 is as fast as it can.
    void setTimeLapse(double lapse) { timeLapse_ = lapse; }

    // --- work on the link, one at a time
    Task task() const { return task_; }
    bool busy() const { return task_ != Task::None; }
    bool flashing() const { return task_ == Task::Flash; }
    const link::Progress& progress() const { return progress_; }
    /// Asks the task to stop where that is safe.
    void cancelTask() { stop_.request_stop(); }
    /// Why the folder, the link or the window can't be let go of now, a sentence; empty when they can.
    QString heldBy() const;
    void readController(job::ReadScope scope = job::ReadScope::Everything);
    void flashSelected(const job::FlashOptions& options = {});
    /// What a flash would write and whether it may, computed off this thread; `then` is called on it.
    void planFlash(int64_t round, const std::optional<link::Identity>& identity, const job::FlashOptions& options,
                   std::function<void(Result<job::FlashPlan>)> then);
    /// Asks the controller what its sectors hold, and puts the ledger right.
    void checkAgainstLedger();
    void readTroubleCodes(bool clearFirst);
    const std::vector<job::TroubleCodeReport>& troubleCodes() const { return troubleCodes_; }
    /// Values and codes of a car without a profile, once more.
    void refreshObd(bool clearFirst);
    bool troubleCodesRead() const { return troubleCodesRead_; }
    /// Asks the controller for identity, voltage and speed again (for the gates).
    void refreshIdentity();
    std::optional<link::FlashReport> lastFlash() const { return lastFlash_; }

    // --- driving
    [[nodiscard]] Done startDrive(const std::vector<std::string>& channels, const std::string& route);
    void stopDrive() {
        if (driving()) cancelTask();
    }
    bool driving() const { return task_ == Task::Drive; }
    const job::ChannelSet* liveChannels() const { return liveChannels_.get(); }
    const std::vector<std::string>& externalNames() const { return externalNames_; }
    const job::LiveRow& live() const { return live_; }
    /// The newest value of a channel by name; NaN when it is not sampled.
    double liveValue(const std::string& channel) const;
    double liveRole(roles::Role role) const;

    // --- evidence of a round, computed off this thread and kept until a drive is added
    std::shared_ptr<const evidence::Drives> drives(int64_t round) const;
    /// Where the drive that is recorded has been on the VE map that is in the car; null where that is not known.
    std::shared_ptr<const job::LiveCoverage> coverage() const { return coverage_; }
    void loadDrives(int64_t round);
    /// Runs `work` on the pool and `then` on this thread, unless the session is gone by then.
    template <class T>
    void inBackground(std::function<T()> work, std::function<void(T)> then);

    void say(const QString& sentence, bool alarm = false);
    /// What was found; a failure is said, and then it is nothing.
    template <class T>
    T orSay(Result<T> result) {
        if (result) return std::move(*result);
        failed(result.error());
        return {};
    }
    /// A setting of the open folder; empty without one.
    std::string setting(const std::string& key) {
        return folder_ ? orSay(folder_->settings().get(key)) : std::string();
    }
    std::vector<carfolder::RecordingEntry> recordings(int64_t round) {
        return folder_ ? orSay(folder_->recordings().of(round)) : std::vector<carfolder::RecordingEntry>();
    }

  signals:
    void folderChanged();
    void roundsChanged();
    void roundSelected();
    void calibrationChanged();
    void referenceChanged();
    void donorsChanged();
    void partsChanged();
    void definitionChanged();
    void recordingsChanged();
    void playbackChanged();  ///< another recording, played or halted, another rate
    void momentChanged();
    void unitsChanged();
    void buildSheetChanged();
    void linkChanged();
    void taskChanged();
    void liveChanged();
    void driveChanged();
    void codesChanged();
    void obdChanged();
    /// Somebody wants to see this parameter on the Maps station.
    void parameterWanted(const QString& name);
    /// Somebody wants to say who plays the missing roles.
    void rolesWanted(const QString& role);
    /// Somebody wants to see this station.
    void stationWanted(const QString& name);
    void samplesChanged();
    void message(const QString& sentence, bool alarm);

  private:
    std::shared_ptr<job::LiveCoverage> coverageOfCar(const job::ChannelSet& channels) const;
    void takeFolder(std::unique_ptr<carfolder::CarFolder> folder);
    void refreshRounds();
    /// Closes the link without waiting for what runs on it.
    void closeLink();
    void linkFound(Result<job::Found> found, std::optional<ObdCar> obd, const std::string& choice);
    void loadCalibration();
    void loadReference();
    void loadSharedBytes();
    void loadDonors();
    void loadParts();
    /// The stoichiometric ratio of what the build sheet says is in the tank.
    void takeFuel();
    /// The kit with the definition that the open folder keeps of its own.
    void useOwnDefinition();
    std::shared_ptr<const calibration::Calibration> calibrationOfRound(int64_t round) const;
    /// Starts work on the link thread; `work` returns what is to be done back here.
    using Work = std::function<std::function<void()>(LinkParts&, const std::stop_token&)>;
    void startTask(Task task, Work work);
    link::OnProgress reporter(const std::stop_token& stop);
    /// Why the folder may not be written, as an error; nothing when it may.
    Done mayWrite() const;
    [[nodiscard]] Done beginDraft();
    void failed(const Error& error);
    void linkLost(const Error& error);
    storage::Path benchFlashFile() const;
    static void keepBenchFlash(LinkParts& port, storage::FileSystem& files, const storage::Path& path);
    void loadBuildSheet();

    storage::FileSystem& files_;
    storage::Path dataFolder_;
    std::vector<std::shared_ptr<const job::Kit>> kits_;
    std::shared_ptr<const job::Kit> kit_;
    std::shared_ptr<carfolder::CarFolder> folder_;
    std::vector<carfolder::Round> rounds_;
    carfolder::CarContents contents_;
    proposals::BuildSheet sheet_;
    Done sheetProblem_;  ///< why the kept sheet is not shown
    int64_t selected_ = -1;
    std::optional<calibration::Calibration> calibration_;
    std::shared_ptr<const calibration::Calibration> reference_;
    QString referenceName_;
    QString referenceKey_ = "parent";
    std::vector<job::DonorPtr> donors_;
    storage::Path ownParts_;
    std::vector<proposals::Part> parts_;
    mutable std::map<int64_t, std::pair<std::string, std::shared_ptr<const calibration::Calibration>>>
        seen_;  // rounds, by image
    std::shared_ptr<const calibration::SharedBytes> shared_;
    std::shared_ptr<const evidence::Drives> driven_;
    Playback playback_;
    QTimer playTimer_;
    QElapsedTimer playedFor_;  ///< since the last moment
    bool hardwareLimits_ = false;
    bool keepingDefinition_ = false;
    units::Preferences units_;
    calibration::EditHistory history_;
    QTimer saveTimer_;
    bool unsaved_ = false;

    std::unique_ptr<LinkThread> link_;
    int linkGeneration_ = 0;  ///< counts links, so that a late answer of an old one is told apart
    LinkState linkState_ = LinkState::Closed;
    QString linkText_, linkName_, linkWhy_;
    std::optional<link::Identity> identity_;
    bool cablePlugged_ = true;
    std::unique_ptr<BenchOrders> benchOrders_;
    double timeLapse_ = 20;
    Task task_ = Task::None;
    link::Progress progress_;
    std::stop_source stop_;  ///< of the task that runs
    std::atomic<bool> progressPending_{false};
    QString mismatch_;
    std::optional<link::Identity> keptIdentity_;
    std::optional<ObdCar> obdCar_;
    std::vector<std::future<void>> closing_;  ///< links that finish what they were at
    std::vector<job::TroubleCodeReport> troubleCodes_;
    std::shared_ptr<const job::Kit> codesKit_;  ///< keeps what they point to
    bool troubleCodesRead_ = false;
    std::optional<link::FlashReport> lastFlash_;

    std::atomic<bool> livePending_{false};
    std::shared_ptr<const job::ChannelSet> liveChannels_;
    std::vector<std::string> externalNames_;
    std::vector<std::string> externalRoles_;
    job::LiveRow live_;
    std::map<int64_t, std::shared_ptr<const evidence::Drives>> drives_;
    std::shared_ptr<job::LiveCoverage> coverage_;
    std::set<int64_t> drivesLoading_;
    InterfaceCalls calls_;
    std::unique_ptr<WorkPool> pool_ = std::make_unique<WorkPool>();
};

}  // namespace brusk::app

#include "app/SessionBackground.h"
