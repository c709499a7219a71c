// Joins the list of kinds, the picture of the one that is open and what speaks for it.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/CorrectStation.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QScrollArea>
#include <cmath>

#include "app/stations/correct/CoreText.h"
#include "app/theme/Theme.h"
#include "app/widgets/Times.h"

namespace brusk::app {
CorrectStation::CorrectStation(Desks& desks, QWidget* parent) : Station("Correct", parent), presenter_(desks) {
    primary()->setObjectName("makeRound");
    body()->setContentsMargins(0, 0, 0, 0);
    body()->setSpacing(0);
    titleRow()->setContentsMargins(16, 12, 16, 4);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    makeLeft(row);
    content_ = new QWidget;
    auto* column = new QVBoxLayout(content_);
    column->setContentsMargins(16, 6, 16, 10);
    column->setSpacing(8);
    seenTitle_ = label({}, "faint");
    column->addWidget(seenTitle_);
    view_ = new CorrectionView;
    column->addWidget(view_, 1);
    row->addWidget(content_, 1);
    empty_ = label({}, "faint");
    empty_->setWordWrap(true);
    empty_->setContentsMargins(16, 10, 16, 0);
    empty_->setAlignment(Qt::AlignTop);
    row->addWidget(empty_, 1);
    makeSide(row);
    body()->addLayout(row, 1);

    connect(primary(), &QPushButton::clicked, &presenter_, &CorrectPresenter::makeRound);
    connect(view_, &CorrectionView::momentWanted, &presenter_, &CorrectPresenter::showMoment);
    connect(&presenter_, &CorrectPresenter::changed, this, &CorrectStation::refresh);
    connect(&presenter_, &CorrectPresenter::unitsChanged, this, &CorrectStation::refresh);
    connect(&presenter_, &CorrectPresenter::draftChanged, this, [this] {
        if (isVisible()) refreshPrimary();
    });
    connect(&presenter_, &CorrectPresenter::roundShown, this, [this] {
        if (isVisible()) presenter_.look();
    });
    refresh();
}

void CorrectStation::makeLeft(QHBoxLayout* row) {
    auto* left = new QWidget;
    left->setFixedWidth(246);
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(14, 4, 6, 8);
    column->setSpacing(2);
    from_ = label({}, "faint");
    from_->setObjectName("fromDrives");
    column->addWidget(from_);
    kinds_ = new KindList;
    column->addWidget(kinds_, 1);
    promisedTitle_ = label(tr("Promised, and what came"), "heading");
    column->addWidget(promisedTitle_);
    promised_ = new QTreeWidget;
    promised_->setObjectName("promised");
    promised_->setAccessibleName(promisedTitle_->text());
    promised_->setRootIsDecorated(false);
    promised_->setFrameShape(QFrame::NoFrame);
    promised_->setSelectionMode(QAbstractItemView::NoSelection);
    promised_->setHeaderLabels({QString(), tr("promised"), tr("came"), tr("doubt"), QString()});
    promised_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    promised_->header()->setMinimumSectionSize(20);
    promised_->header()->setFont(Theme::instance().text(10));
    promised_->setFont(Theme::instance().text(11));
    promised_->setStyleSheet(
        "QTreeWidget { background: transparent; border: 0; }"
        "QHeaderView::section { font-size: 10px; padding: 2px 1px; }");
    column->addWidget(promised_);
    row->addWidget(left);
    connect(kinds_, &KindList::opened, this, [this](const QString& kind) { presenter_.open(kind.toStdString()); });
    connect(kinds_, &KindList::taken, this,
            [this](const QString& kind, bool takes) { presenter_.take(kind.toStdString(), takes); });
}

void CorrectStation::makeSide(QHBoxLayout* row) {
    // What it holds may be more than a small window shows.
    auto* scroll = new QScrollArea;
    scroll->setObjectName("correctSide");
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFixedWidth(274);
    auto* side = new QFrame;
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(14, 6, 16, 10);
    column->setSpacing(8);
    const auto heading = [&](const QString& text) { column->addWidget(label(text, "heading")); };
    const auto text = [&](const char* name) {
        auto* out = label({}, "faint");
        out->setObjectName(name);
        out->setWordWrap(true);
        column->addWidget(out);
        return out;
    };
    heading(tr("Why"));
    reason_ = text("reason");
    warningBox_ = new QFrame;
    warningBox_->setProperty("note", true);
    auto* box = new QVBoxLayout(warningBox_);
    box->setContentsMargins(11, 8, 8, 8);
    warning_ = label({});
    warning_->setWordWrap(true);
    box->addWidget(warning_);
    column->addWidget(warningBox_);
    settings_ = new SettingsPanel;
    column->addWidget(settings_);
    heading(tr("Mind"));
    mind_ = text("mind");
    heading(tr("Evidence"));
    recordings_ = new Facts;
    column->addWidget(recordings_);
    heading(tr("Samples"));
    samples_ = new Facts;
    column->addWidget(samples_);
    heading(tr("Formula"));
    formula_ = text("formula");
    heading(tr("Wideband answers after"));
    delay_ = new Facts;
    column->addWidget(delay_);
    heading(tr("Recorded against looked up"));
    axes_ = text("axisCheck");
    column->addStretch();
    scroll->setWidget(side);
    row->addWidget(scroll);
    connect(settings_, &SettingsPanel::moved, this,
            [this](const QString& setting, double value) { presenter_.set(setting.toStdString(), value); });
}

void CorrectStation::refresh() {
    const auto* result = presenter_.result();
    from_->setText(presenter_.fromWhat());
    // The first look opens what is worth most; later ones stay where the user is.
    if (result && !presenter_.opened()) return presenter_.open(KindList::foremost(result->corrections));
    if (result)
        kinds_->show(result->corrections, presenter_.choices().left, presenter_.opened()->kind->id);
    else
        kinds_->clear();
    const auto* one = presenter_.opened();
    content_->setVisible(one != nullptr);
    empty_->setVisible(!one);
    empty_->setText(presenter_.waitsFor());
    subtitle()->setText(one ? textOf(one->kind->title) + " \u00b7 " + QString::fromStdString(one->line)
                            : presenter_.roundText());
    view_->show(one, presenter_.units());
    if (one && !one->tables.empty())
        seenTitle_->setText(QString::fromStdString(one->tables[0].table.parameter->title()) + ", " +
                            QString::fromStdString(one->tables[0].table.unit));
    seenTitle_->setVisible(one && !one->tables.empty());
    refreshPrimary();
    settings_->show(one ? one->kind : nullptr,
                    [this](const proposals::Setting& setting) { return presenter_.setting(setting); });
    refreshSide();
    refreshSamples();
    refreshPromises();
}

void CorrectStation::refreshPrimary() {
    const bool may = presenter_.mayMake();
    primary()->setText(presenter_.makes(may));
    primary()->setEnabled(may);
}

void CorrectStation::refreshSide() {
    const auto* one = presenter_.opened();
    recordings_->clear();
    int drive = 0;
    for (const auto& entry : presenter_.recordings())
        recordings_->set(
            QString("%1  ").arg(++drive) + QString::fromStdString(entry.title) + ", " + timeOfDay(entry.startedAt),
            QString("%1 min").arg(entry.duration_s / 60, 0, 'f', 1));
    const auto* result = presenter_.result();
    axes_->setText(result ? QString::fromStdString(result->axes.sentence()) : QString());
    reason_->setText(one ? QString::fromStdString(one->reason) : QString());
    formula_->setText(one ? QString::fromStdString(one->formula) : QString());
    QStringList own, all;
    if (one)
        for (const auto* list : {&one->warnings, &one->loosened})
            for (const std::string& sentence : *list)
                own << QString::fromStdString(sentence);
    if (result)
        for (const std::string& sentence : result->warnings)
            all << QString::fromStdString(sentence);
    warning_->setText(own.join(' '));
    warningBox_->setVisible(!own.isEmpty());
    mind_->setText(all.isEmpty() ? tr("Nothing speaks against learning from these drives.") : all.join(' '));
}

void CorrectStation::refreshPromises() {
    constexpr int kUnit = 4;
    promised_->clear();
    const auto& account = presenter_.choices().account;
    // The newest first; what waits for a drive says so.
    for (auto one = account.rbegin(); one != account.rend(); ++one) {
        const auto* kind = proposals::correctionKind(one->kind);
        const auto number = [](double v) { return QString::number(v, 'f', 1); };
        auto* item = new QTreeWidgetItem(
            promised_,
            {QString("%1 %2").arg(one->round).arg(kind ? textOf(kind->title) : QString::fromStdString(one->kind)),
             number(one->promised), one->came ? number(*one->came) : QString("-"), number(one->doubt)});
        const auto* figure = evidence::figureKind(one->figure);
        item->setText(kUnit, figure ? textOf(figure->unit) : QString());
        item->setToolTip(0, item->text(0));
        item->setFont(0, Theme::instance().text(10)), item->setFont(kUnit, Theme::instance().text(10));
        for (int column = 1; column < kUnit; ++column) {
            item->setTextAlignment(column, Qt::AlignRight | Qt::AlignVCenter);
            item->setFont(column, Theme::instance().numbers(11));
        }
    }
    const int lines = promised_->topLevelItemCount();
    promised_->setVisible(lines > 0);
    promisedTitle_->setVisible(lines > 0);
    constexpr int kMostLines = 7;
    const int line = lines ? promised_->sizeHintForRow(0) : 0;
    promised_->setFixedHeight(promised_->header()->sizeHint().height() + std::min(lines, kMostLines) * line + 4);
    promised_->header()->setStretchLastSection(false);
    promised_->header()->setSectionResizeMode(QHeaderView::Fixed);
    promised_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    constexpr int kWidths_px[] = {0, 50, 36, 36, 18};
    for (int column = 1; column < promised_->columnCount(); ++column)
        promised_->header()->resizeSection(column, kWidths_px[column]);
}

void CorrectStation::refreshSamples() {
    samples_->clear();
    delay_->clear();
    const auto drives = presenter_.drives();
    if (!drives || !drives->mixture()) return;
    const auto& cost = drives->mixture()->leftOut;
    samples_->set(tr("recorded"), QString::number(cost.recorded));
    samples_->set(tr("settled"), QString::number(cost.kept));
    for (const auto& rule : cost.costs)
        if (rule.samples) samples_->set(textOf(rule.title), "\u2212" + QString::number(rule.samples));
    const auto& d = drives->mixture()->delay;
    const auto shown = [&](double flow_kgh, double rpm) {
        return QString("%1 \u00b1 %2 ms")
            .arg(d.transport_s(flow_kgh, rpm, std::nan("")) * 1000, 0, 'f', 0)
            .arg(d.doubt_s(flow_kgh, rpm, std::nan("")) * 1000, 0, 'f', 0);
    };
    delay_->set(tr("at idle"), shown(12, 850));
    delay_->set(tr("at full load"), shown(250, 4500));
    delay_->set(tr("sensor's lag"), QString("%1 ms").arg(d.lag_s * 1000, 0, 'f', 0));
    using From = evidence::WidebandDelay::From;
    delay_->set(tr("from"),
                d.from == From::Measured   ? tr("%1 steps").arg(d.events)
                : d.from == From::Borrowed ? tr("earlier drive")
                                           : tr("default"),
                "");
}

void CorrectStation::showMoments() {
    const auto* one = presenter_.opened();
    if (!one) return;
    if (!one->tables.empty()) return presenter_.showCell(view_->currentCell());
    if (one->points.empty()) return;
    const auto& moment = one->points[view_->currentPoint()].moment;
    moment ? presenter_.showMoment(*moment) : presenter_.sayNoMoment();
}

void CorrectStation::keyPressEvent(QKeyEvent* event) {
    if (event->key() >= Qt::Key_1 && event->key() <= Qt::Key_4)
        return view_->showLayer(static_cast<CorrectionView::Layer>(event->key() - Qt::Key_1));
    const bool enter = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter;
    if (enter && event->modifiers() & Qt::ControlModifier) return presenter_.makeRound();
    if (enter) return showMoments();
    Station::keyPressEvent(event);
}

}  // namespace brusk::app
