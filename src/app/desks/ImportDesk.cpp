// All work on files off the interface thread; the newest asking counts.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/desks/ImportDesk.h"

#include "app/desks/Background.h"
#include "app/desks/CarInHand.h"
#include "app/desks/Messages.h"

namespace brusk::app {

namespace {

/// Questions to the pool: what is on the page, and the whole file.
enum Question { kPage, kAll };

Result<ImportDesk::Shown> shownBy(const recording::ImportFile& file, Result<recording::ImportPlan> plan) {
    if (!plan) return tl::unexpected(plan.error());
    auto first = file.recording(*plan, ImportDesk::kFirstRows);
    // With every column left out the plan can still be put right.
    if (!first) first = recording::Recording{};
    return ImportDesk::Shown{file, std::move(*plan), std::move(*first)};
}

}  // namespace

ImportDesk::ImportDesk(storage::FileSystem& files, const CarInHand& car, Background& background, Messages& messages)
    : files_(files), car_(car), background_(background), messages_(messages) {}

struct ImportDesk::Opened {
    Result<Shown> shown = fail(ErrorCode::NotFound, "");
    recording::ImportSaid said = {};
    std::vector<std::string> remarks = {};
};

void ImportDesk::open(const storage::Path& file) {
    path_ = file;
    shown_.reset();
    refusal_.clear();
    wantsDbc_ = false;
    working_ = true;
    emit changed();
    std::vector<can::DbcMessage> messages;
    if (car_.kit) messages = car_.kit->externalSensors;
    background_.latest(
        this,
        [&files = files_, home = home_, file, messages = std::move(messages)]() mutable {
            Opened out;
            const auto own = job::ownDbcs(files, home, out.remarks);
            messages.insert(messages.end(), own.begin(), own.end());
            const auto opened = job::openForImport(files, file, messages);
            if (!opened) {
                out.shown = tl::unexpected(opened.error());
                return out;
            }
            out.shown = shownBy(*opened, job::planFor(files, home, *opened, out.said));
            return out;
        },
        [this](Opened opened) {
            for (const std::string& remark : opened.remarks)
                messages_.say(QString::fromStdString(remark), true);
            if (!opened.shown) {
                wantsDbc_ = opened.shown.error().code == ErrorCode::NotFound && files_.isFile(path_);
                messages_.failed(opened.shown.error());
            }
            show(std::move(opened.shown), std::move(opened.said));
        },
        kPage);
}

void ImportDesk::show(Result<Shown> shown, recording::ImportSaid said) {
    working_ = false;
    refusal_ = shown ? QString() : QString::fromStdString(shown.error().text());
    if (shown) {
        shown_ = std::make_shared<const Shown>(std::move(*shown));
        said_ = std::move(said);
    } else if (!shown_ && !wantsDbc_) {
        path_.clear();
    }
    emit changed();
}

void ImportDesk::addDbc(const storage::Path& file) {
    background_.latest(
        this, [&files = files_, home = home_, file] { return job::keepDbc(files, home, file); },
        [this](Done done) {
            if (!done) return messages_.failed(done.error());
            open(path_);
        },
        kPage);
}

void ImportDesk::plan(recording::ImportSaid said) {
    if (!shown_) return;
    // What is kept meanwhile would be kept by the plan of before.
    working_ = true;
    emit workingChanged();
    background_.latest(
        this,
        [&files = files_, home = home_, file = shown_->file, said]() -> Result<Shown> {
            auto shown = shownBy(file, file.plan(said));
            // Only what made sense is remembered; that it can't be is no reason not to go on.
            if (shown && !file.isOurs()) (void)job::remember(files, home, file.fingerprint(), said);
            return shown;
        },
        [this, said](Result<Shown> shown) mutable { show(std::move(shown), std::move(said)); }, kPage);
}

void ImportDesk::say(const std::string& point, const std::string& value) {
    recording::ImportSaid said = said_;
    said.points[point] = value;
    // Columns are those of the table as it was read before: another table has others.
    constexpr std::string_view kOtherTable[] = {"separator", "header", "first", "units", "encoding"};
    if (std::find(std::begin(kOtherTable), std::end(kOtherTable), point) != std::end(kOtherTable)) said.columns.clear();
    plan(std::move(said));
}

void ImportDesk::say(const std::string& column, const recording::ColumnSaid& one) {
    recording::ImportSaid said = said_;
    recording::ColumnSaid& known = said.columns[column];
    const auto take = [](auto& into, const auto& from) {
        if (from) into = from;
    };
    take(known.name, one.name), take(known.unit, one.unit), take(known.role, one.role), take(known.kind, one.kind);
    take(known.factor, one.factor), take(known.offset, one.offset), take(known.use, one.use);
    // A role is played once: who had it gives it up.
    if (one.role && !one.role->empty() && shown_)
        for (const auto& other : shown_->plan.columns)
            if (other.key != column && other.role == *one.role) said.columns[other.key].role = "";
    plan(std::move(said));
}

void ImportDesk::forgetWhatWasSaid() {
    plan({});
}

void ImportDesk::putAside() {
    path_.clear();
    shown_.reset();
    said_ = {};
    refusal_.clear();
    wantsDbc_ = working_ = false;
    // Whatever is still being read is for nobody.
    background_.latest(
        this, [] { return 0; }, [](int) {}, kPage);
    background_.latest(
        this, [] { return 0; }, [](int) {}, kAll);
    emit changed();
}

template <class Then>
void ImportDesk::readAll(Then then) {
    if (!shown_ || working_) return;
    working_ = true;
    emit changed();
    background_.latest(
        this,
        [shown = shown_]() -> Result<std::shared_ptr<const recording::Recording>> {
            auto all = shown->file.recording(shown->plan);
            if (!all) return tl::unexpected(all.error());
            return std::make_shared<const recording::Recording>(std::move(*all));
        },
        [this, then](Result<std::shared_ptr<const recording::Recording>> all) {
            working_ = false;
            if (!all) messages_.failed(all.error());
            if (all) then(*all);
            emit changed();
        },
        kAll);
}

void ImportDesk::look() {
    readAll([this](const std::shared_ptr<const recording::Recording>& all) {
        const QString title = QString::fromStdString(path_.filename().string());
        for (const std::string& damage : all->allDamage())
            messages_.say(QString::fromStdString(damage), true);
        putAside();
        emit lookedAt(all, title);
    });
}

void ImportDesk::keep(std::optional<int64_t> round) {
    if (auto done = car_.mayWrite(); !done) return messages_.failed(done.error());
    readAll([this, round, folder = car_.folder](const std::shared_ptr<const recording::Recording>& all) {
        working_ = true;
        background_.latest(
            this,
            [folder, all, round, name = path_.filename().string()] {
                return folder->recordings().keep(name, *all, round);
            },
            [this, folder, all](Result<carfolder::RecordingEntry> entry) {
                working_ = false;
                if (!entry) {
                    messages_.failed(entry.error());
                    return emit changed();
                }
                const QString file = QString::fromStdString(entry->file);
                const auto damaged = all->allDamage();
                const QString damage = damaged.empty() ? QString() : " " + QString::fromStdString(damaged[0]);
                messages_.say(tr("Kept as recordings/%1.%2").arg(file, damage), !damage.isEmpty());
                putAside();
                if (car_.folder == folder) emit kept(entry->round.value_or(-1));
            },
            kAll);
    });
}

void ImportDesk::bind(int64_t recording, int64_t round) {
    auto done = car_.mayWrite();
    if (done) done = car_.folder->recordings().bindTo(recording, round);
    if (!done) return messages_.failed(done.error());
    emit kept(round);
}

}  // namespace brusk::app
