// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/Session.h"

#include "app/LinkParts.h"

#include <QSettings>
#include <cmath>

namespace brusk::app {

namespace {
constexpr int kSaveAfter_ms = 500;
constexpr int kPlayEvery_ms = 33;
}  // namespace

QString taskTitle(Task task) {
    static constexpr const char* titles[] = {"",
                                             "Connecting",
                                             "Asking the controller",
                                             "Reading",
                                             "Flashing",
                                             "Comparing with the ledger",
                                             "Reading trouble codes",
                                             "Asking the car",
                                             "Driving"};
    return titles[static_cast<int>(task)];
}

const std::vector<RouteChoice>& routeChoices() {
    static const std::vector<RouteChoice> choices = [] {
        std::vector<RouteChoice> out;
        for (const auto& route : benchcar::routes())
            out.push_back({route.name, route.title, route.seconds()});
        out.push_back({kUnseenCells, "Cells not seen yet on this round", 0});
        return out;
    }();
    return choices;
}

Session::Session(storage::FileSystem& files, storage::Path dataFolder, QObject* parent)
    : QObject(parent),
      files_(files),
      dataFolder_(std::move(dataFolder)),
      benchOrders_(std::make_unique<BenchOrders>()) {
    saveTimer_.setSingleShot(true);
    saveTimer_.setInterval(kSaveAfter_ms);
    connect(&saveTimer_, &QTimer::timeout, this, &Session::saveDraftNow);
    playTimer_.setInterval(kPlayEvery_ms);
    connect(&playTimer_, &QTimer::timeout, this, [this] {
        setMoment(playback_.time_s + playback_.rate * static_cast<double>(playedFor_.restart()) / 1000);
    });
    units_.wanted =
        units::Preferences::fromText(QSettings("Brusk", "Brusk").value("units").toString().toStdString()).wanted;
}

Session::~Session() {
    stop_.request_stop();
    link_.reset();
    closing_.clear();
    pool_.reset();
    saveDraftNow();
}

void Session::say(const QString& sentence, bool alarm) {
    emit message(sentence, alarm);
}

void Session::failed(const Error& error) {
    say(QString::fromStdString(error.text()), error.code != ErrorCode::Cancelled);
}

// --- the car folder

QString Session::heldBy() const {
    if (!flashing()) return {};
    const auto* round = selected();
    return QString("Round %1 is being written into the car. Let that come to its end, or stop it, first.")
        .arg(round ? round->number : 0);
}

Done Session::mayWrite() const {
    if (!folder_) return fail(ErrorCode::NotFound, "No car folder is open.");
    if (folder_->mayWrite()) return {};
    return fail(ErrorCode::Refused, "Nothing can be changed: " + folder_->whyNot());
}

Done Session::openFolder(const storage::Path& path) {
    if (const QString held = heldBy(); !held.isEmpty()) return fail(ErrorCode::Conflict, held.toStdString());
    // The folder that is open here, however it is named: opened anew it would find its own lock.
    const storage::Stamp there = files_.stamp(path / "car.sqlite");
    if (folder_ && folder_->mayWrite() && there.there && there == files_.stamp(folder_->path() / "car.sqlite")) {
        refreshRounds();
        emit folderChanged();
        return {};
    }
    auto folder = carfolder::CarFolder::open(files_, path);
    if (!folder) return tl::unexpected(folder.error());
    takeFolder(std::move(*folder));
    return {};
}

Done Session::createFolder(const storage::Path& path, const std::string& carName) {
    if (const QString held = heldBy(); !held.isEmpty()) return fail(ErrorCode::Conflict, held.toStdString());
    auto folder = carfolder::CarFolder::create(files_, path, carName);
    if (!folder) return tl::unexpected(folder.error());
    takeFolder(std::move(*folder));
    return {};
}

void Session::takeFolder(std::unique_ptr<carfolder::CarFolder> folder) {
    saveDraftNow();
    disconnectLink();
    folder_ = std::move(folder);
    selected_ = -1;
    drives_.clear();
    calibration_.reset();
    history_.clear();
    if (kits_.empty()) {
        std::vector<Error> problems;
        kits_ = job::loadKits(files_, dataFolder_, problems);
        for (const Error& problem : problems)
            failed(problem);
    }
    kit_.reset();
    const std::string profile = setting("profile");
    for (const auto& kit : kits_)
        if (kit->profile.name == profile) kit_ = kit;
    seen_.clear();
    lookAt(nullptr, {});
    referenceKey_ = "parent";
    useOwnDefinition();
    loadDonors();
    loadBuildSheet();
    takeFuel();
    contents_ = {};
    refreshRounds();
    if (!rounds_.empty()) selectRound(contents_.round.value_or(rounds_.front().id));
    emit folderChanged();
    QStringList news;
    for (const std::string& sentence : folder_->news())
        news << QString::fromStdString(sentence);
    if (!news.isEmpty()) say(news.join(' '));
    if (!folder_->mayWrite()) {
        QString why = QString::fromStdString(folder_->whyNot());
        why[0] = why[0].toUpper();
        say(why, true);
    }
}

void Session::refreshRounds() {
    // What can't be looked up now is what it was; the sentence says why.
    if (auto rounds = folder_->rounds().all())
        rounds_ = std::move(*rounds);
    else
        failed(rounds.error());
    const auto kept = job::identityFromJson(setting("identity"));
    keptIdentity_ = kept ? std::optional(*kept) : std::nullopt;
    if (kit_) {
        if (auto contents = folder_->memory().contents(kit_->profile.sectors()))
            contents_ = std::move(*contents);
        else
            failed(contents.error());
    }
    emit roundsChanged();
}

QString Session::carSentence() const {
    if (!folder_) return "No car folder is open.";
    if (!kit_) return "This car was not connected yet.";
    if (flashing() && selected()) return QString("Round %1 is being written into the car.").arg(selected()->number);
    return QString::fromStdString(
        job::whatIsInTheCar(contents_, contents_.round ? roundById(*contents_.round) : nullptr,
                            contents_.unfinished ? roundById(contents_.unfinished->round) : nullptr));
}

void Session::loadBuildSheet() {
    sheet_ = {};
    sheetProblem_ = {};
    const auto kept = folder_->settings().sheet();
    if (kept && kept->version == 0) return;
    auto sheet = kept ? job::buildSheetFromJson(kept->facts) : tl::unexpected(kept.error());
    if (sheet) {
        sheet_ = std::move(*sheet);
        return;
    }
    sheetProblem_ =
        fail(sheet.error().code,
             "The build sheet can't be read, so it is not shown and nothing is kept over it: " + sheet.error().text());
    failed(sheetProblem_.error());
}

void Session::setBuildSheet(const proposals::BuildSheet& sheet) {
    if (!folder_) return;
    if (!sheetProblem_) return failed(sheetProblem_.error());
    // What can't be kept is not computed from either; the form shows again what is kept.
    if (auto kept = folder_->settings().keepSheet(job::toJson(sheet)); kept)
        sheet_ = sheet;
    else
        failed(kept.error());
    takeFuel();
    emit buildSheetChanged();
}

void Session::offerBuildSheet(const storage::Path& file) {
    if (!folder_ || !folder_->mayWrite() || orSay(folder_->settings().sheet()).version > 0) return;
    const auto text = files_.read(file, storage::FileSystem::kReadLimit);
    if (!text) return failed(text.error());
    const auto sheet = job::buildSheetFromJson(std::string(asText(*text)));
    if (!sheet) return failed(sheet.error());
    setBuildSheet(*sheet);
}

// --- parts to choose from

void Session::setOwnParts(const storage::Path& file) {
    ownParts_ = file;
    loadParts();
}

void Session::loadParts() {
    parts_.clear();
    for (const bool own : {true, false}) {
        auto read = job::loadParts(files_, own ? ownParts_ : dataFolder_ / "parts.json");
        if (!read) {
            failed(read.error());
            continue;
        }
        for (auto& part : *read) {
            part.own = own;
            parts_.push_back(std::move(part));
        }
    }
    emit partsChanged();
}

void Session::keepPart(const proposals::Part& part) {
    if (auto done = job::keepPart(files_, ownParts_, part); !done) return failed(done.error());
    loadParts();
    say(QString("%1 is a part of your own now, for every car.").arg(QString::fromStdString(part.name)));
}

void Session::forgetPart(const proposals::Part& part) {
    if (auto done = job::forgetPart(files_, ownParts_, part); !done) return failed(done.error());
    loadParts();
}

// --- the selected round

const carfolder::Round* Session::roundById(int64_t id) const {
    for (const auto& round : rounds_)
        if (round.id == id) return &round;
    return nullptr;
}

const carfolder::Round* Session::selected() const {
    return roundById(selected_);
}

void Session::selectRound(int64_t id) {
    if (id == selected_ || !roundById(id)) return;
    saveDraftNow();
    selected_ = id;
    history_.clear();
    loadCalibration();
    emit roundSelected();
    emit calibrationChanged();
}

void Session::loadCalibration() {
    calibration_.reset();
    if (!kit_ || !selected()) return;
    auto calibration = job::calibrationOf(*kit_, *folder_, selected_);
    if (!calibration) return failed(calibration.error());
    calibration_ = std::move(*calibration);
    loadSharedBytes();
    calibration_->allowHardwareLimits(hardwareLimits_);
    driven_.reset();
    if (selected()->state == carfolder::RoundState::Draft) {
        if (auto history = folder_->rounds().edits(selected_))
            history_ = std::move(*history);
        else
            failed(history.error());
    }
    loadReference();
}

Done Session::edit(const calibration::Edit& edit) {
    if (!calibration_ || !selected())
        return fail(ErrorCode::NotFound, "No calibration is open. Read the controller first.");
    if (!mismatch_.isEmpty()) return fail(ErrorCode::Mismatch, mismatch_.toStdString());
    if (edit.empty()) return {};
    if (flashing()) return fail(ErrorCode::Conflict, "The calibration is being flashed; edit it when that is done.");
    if (auto may = mayWrite(); !may) return may;
    if (selected()->state != carfolder::RoundState::Draft)
        if (auto begun = beginDraft(); !begun) return begun;
    if (auto done = history_.make(*calibration_, edit); !done) return done;
    auto kept = folder_->rounds().addEdit(selected_, edit);
    if (!kept) {
        // What is not kept would be lost with the program: it is taken back, and the folder looked at again.
        if (auto undone = history_.undo(*calibration_); !undone) failed(undone.error());
        refreshRounds();
        // Fixed meanwhile, by a flash of it: the edit begins a new draft.
        if (kept.error().code == ErrorCode::Refused && selected() && selected()->state != carfolder::RoundState::Draft)
            return this->edit(edit);
        emit calibrationChanged();
        return kept;
    }
    unsaved_ = true;
    saveTimer_.start();
    emit calibrationChanged();
    return {};
}

Done Session::beginDraft() {
    auto round = folder_->rounds().add(selected_, calibration_->image(), "Edited by hand", "");
    if (!round) return tl::unexpected(round.error());
    selected_ = round->id;
    history_.clear();
    refreshRounds();
    loadReference();
    emit roundSelected();
    return {};
}

void Session::undo() {
    if (!calibration_ || !history_.canUndo() || flashing()) return;
    if (auto may = mayWrite(); !may) return failed(may.error());
    if (auto done = history_.undo(*calibration_); !done) return failed(done.error());
    if (auto done = folder_->rounds().editUndone(selected_); !done) failed(done.error());
    unsaved_ = true;
    saveTimer_.start();
    emit calibrationChanged();
}

void Session::redo() {
    if (!calibration_ || !history_.canRedo() || flashing()) return;
    if (auto may = mayWrite(); !may) return failed(may.error());
    if (auto done = history_.redo(*calibration_); !done) return failed(done.error());
    if (auto done = folder_->rounds().editRedone(selected_); !done) failed(done.error());
    unsaved_ = true;
    saveTimer_.start();
    emit calibrationChanged();
}

void Session::saveDraftNow() {
    saveTimer_.stop();
    if (!unsaved_ || !calibration_ || !kit_) return;
    unsaved_ = false;
    calibration::Calibration whole = *calibration_;
    if (auto mended = whole.mendChecksums(kit_->profile.checksums); !mended) return failed(mended.error());
    if (auto done = folder_->rounds().updateDraft(selected_, whole.image()); !done) return failed(done.error());
    refreshRounds();
}

Result<carfolder::Round> Session::makeRound(const std::vector<calibration::Edit>& edits, const std::string& title,
                                            const std::string& note) {
    if (!kit_ || !selected()) return fail(ErrorCode::NotFound, "No calibration is open. Read the controller first.");
    if (auto may = mayWrite(); !may) return tl::unexpected(may.error());
    saveDraftNow();
    auto round = job::makeRound(*kit_, *folder_, selected_, edits, title, note);
    if (!round) return round;
    refreshRounds();
    selectRound(round->id);
    return round;
}

// --- evidence

std::shared_ptr<const evidence::Drives> Session::drives(int64_t round) const {
    const auto found = drives_.find(round);
    return found == drives_.end() ? nullptr : found->second;
}

void Session::loadDrives(int64_t round) {
    if (!folder_ || !kit_ || drives_.count(round) || drivesLoading_.count(round)) return;
    if (recordings(round).empty()) return;
    drivesLoading_.insert(round);
    inBackground<Result<job::DrivesPtr>>(
        [folder = folder_, kit = kit_, round] {
            auto out = job::drivesOf(*kit, *folder, round);
            // What everybody asks for is ready when they see it.
            if (out)
                if (const auto& mixture = (*out)->mixture(); !mixture)
                    return Result<job::DrivesPtr>(tl::unexpected(mixture.error()));
            return out;
        },
        [this, round, of = folder_](Result<job::DrivesPtr> found) {
            if (folder_ != of) return;
            drivesLoading_.erase(round);
            if (!found) return failed(found.error());
            for (const std::string& sentence : (*found)->leftOut())
                say(QString::fromStdString(sentence), true);
            drives_[round] = *found;
            emit samplesChanged();
        });
}

}  // namespace brusk::app
