// Takes the newest frames twice a second and lets the decoder put them into words.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/flash/TrafficView.h"

#include <QDateTime>
#include <QHeaderView>
#include <QScrollBar>

#include "app/desks/CarInHand.h"
#include "app/desks/FlashDesk.h"
#include "app/theme/Theme.h"

namespace brusk::app {

namespace {
constexpr size_t kMostLines = 5000;
constexpr size_t kFramesATurn = 10000;  // Decoded within a frame's time; the rest comes with the next turn.
constexpr int kEvery_ms = 100;
constexpr size_t kBytesShown = 12;
}  // namespace

int TrafficModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(lines_.size());
}

int TrafficModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant TrafficModel::data(const QModelIndex& index, int role) const {
    const link::TrafficLine& line = lines_[static_cast<size_t>(index.row())];
    if (role == Qt::FontRole && index.column() != kMessage && index.column() != kFrom)
        return Theme::instance().numbers(12);
    if (role == Qt::ForegroundRole)
        return line.alarm ? tokens().alarm : line.text.empty() ? tokens().faint : tokens().ink;
    if (role == Qt::TextAlignmentRole && index.column() == kTime) return int{Qt::AlignRight | Qt::AlignVCenter};
    if (role != Qt::DisplayRole) return {};
    switch (index.column()) {
        case kTime:
            return QString::number(static_cast<double>(line.time_us) * 1e-6, 'f', 4);
        case kFrom:
            return line.ours ? "tester" : "car";
        case kId:
            return QString("%1").arg(line.id, line.extended ? 8 : 3, 16, QChar('0')).toUpper();
        case kMessage:
            return line.text.empty() ? tr("other frame") : QString::fromStdString(line.text);
        default: {
            QString out;
            for (size_t i = 0; i < std::min(line.bytes.size(), kBytesShown); ++i)
                out += QString("%1 ").arg(line.bytes[i], 2, 16, QChar('0')).toUpper();
            return line.bytes.size() > kBytesShown ? out + "\u2026" : out;
        }
    }
}

QVariant TrafficModel::headerData(int section, Qt::Orientation orientation, int role) const {
    static const char* const kNames[] = {"Time, s", "From", "Id", "Message", "Bytes"};
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
    return kNames[section];
}

void TrafficModel::append(std::vector<link::TrafficLine> lines) {
    if (lines.empty()) return;
    if (lines.size() > kMostLines) lines.erase(lines.begin(), lines.end() - static_cast<long>(kMostLines));
    const size_t over = lines_.size() + lines.size() > kMostLines ? lines_.size() + lines.size() - kMostLines : 0;
    if (over) {
        beginRemoveRows({}, 0, static_cast<int>(over) - 1);
        lines_.erase(lines_.begin(), lines_.begin() + static_cast<long>(over));
        endRemoveRows();
    }
    beginInsertRows({}, rowCount(), rowCount() + static_cast<int>(lines.size()) - 1);
    lines_.insert(lines_.end(), std::make_move_iterator(lines.begin()), std::make_move_iterator(lines.end()));
    endInsertRows();
}

void TrafficModel::clear() {
    beginResetModel();
    lines_.clear();
    endResetModel();
}

TrafficView::TrafficView(Desks& desks) : Panel(tr("Traffic")), desks_(desks) {
    count_ = label({}, "faint");
    others_ = new QCheckBox(tr("other frames"));
    others_->setObjectName("trafficOthers");
    others_->setToolTip(tr("Also list frames that belong to no conversation with the controller"));
    save_ = new QPushButton(tr("Save as CAN log ..."));
    save_->setObjectName("saveTraffic");
    save_->setToolTip(
        tr("All frames of this link, in the format of candump: can-utils replay it, network analysers read it"));
    headRow()->addWidget(count_);
    headRow()->addWidget(others_);
    headRow()->addWidget(save_);
    model_ = new TrafficModel(this);
    table_ = new QTableView;
    table_->setObjectName("traffic");
    table_->setAccessibleName(tr("Traffic"));
    table_->setModel(model_);
    table_->setShowGrid(false);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(20);
    const int widths[] = {96, 56, 74, 330};
    for (int i = 0; i < TrafficModel::kBytes; ++i)
        table_->setColumnWidth(i, widths[i]);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    body()->addWidget(table_, 1);
    connect(others_, &QCheckBox::toggled, this, &TrafficView::restart);
    connect(save_, &QPushButton::clicked, this, &TrafficView::save);
    // Whoever scrolls back looks at something; at the end the view follows again.
    auto* bar = table_->verticalScrollBar();
    connect(bar, &QScrollBar::actionTriggered, this,
            [this, bar] { following_ = bar->sliderPosition() >= bar->maximum(); });
    timer_.setInterval(kEvery_ms);
    connect(&timer_, &QTimer::timeout, this, [this] {
        if (isVisible()) take();
    });
    timer_.start();
}

void TrafficView::restart() {
    model_->clear();
    decoder_.reset();
    next_ = 0;
}

void TrafficView::take() {
    const auto log = desks_.flash.traffic();
    save_->setEnabled(log != nullptr);
    if (log != log_) {
        log_ = log;
        restart();
    }
    if (!log_) {
        count_->setText(tr("nothing yet"));
        return;
    }
    if (!decoder_) {
        decoder_.emplace();
        if (desks_.car.kit) {
            link::IsoTpAddress all = desks_.car.kit->profile.address;
            all.requestId = desks_.car.kit->profile.functionalId;
            decoder_->know(all);
            decoder_->know(desks_.car.kit->profile.address);
        }
    }
    // Of a long silence only the newest frames are of interest.
    const uint64_t end = log_->next();
    if (end > next_ + 20 * kFramesATurn) next_ = end - 20 * kFramesATurn;
    next_ = std::max(next_, log_->dropped());
    const auto frames = log_->frames(next_, kFramesATurn);
    next_ += frames.size();
    count_->setText(tr("%1 frames, bus %2 %").arg(end).arg(log_->busLoad() * 100, 0, 'f', 0));
    std::vector<link::TrafficLine> lines;
    for (const auto& frame : frames)
        decoder_->take(frame, lines);
    if (!others_->isChecked()) std::erase_if(lines, [](const link::TrafficLine& line) { return line.text.empty(); });
    model_->append(std::move(lines));
    if (following_) table_->scrollToBottom();
}

void TrafficView::save() {
    const auto stamp = QDateTime::currentDateTime().toString("yyyyMMdd-HHmmss");
    desks_.flash.saveTraffic(desks_.car.folder->path() / "exports" / ("traffic-" + stamp.toStdString() + ".log"));
}

}  // namespace brusk::app
