// What is fitted against what the original expects, and the limits of the first drives.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/base/SidePanels.h"

#include <QScrollBar>
#include <algorithm>

#include "core/base/Text.h"
#include "core/definition/Roles.h"

namespace brusk::app {

namespace {
QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}
}  // namespace

QLabel* wrapped(const QString& text, const char* role) {
    auto* l = label(text, role);
    l->setWordWrap(true);
    return l;
}

QWidget* narrow() {
    auto* inside = new QWidget;
    inside->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    return inside;
}

// --- both

TwoLists::TwoLists(const QString& heading, const QString& second) : Panel(heading) {
    scroll_ = new QScrollArea;
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = narrow();
    auto* column = new QVBoxLayout(inside);
    column->setContentsMargins(0, 0, 4, 0);
    column->setSpacing(4);
    upper_ = new QVBoxLayout;
    lower_ = new QVBoxLayout;
    second_ = label(second, "heading");
    second_->setContentsMargins(0, 8, 0, 0);
    column->addLayout(upper_);
    column->addWidget(second_);
    column->addLayout(lower_);
    column->addStretch();
    for (auto* list : {upper_, lower_})
        list->setSpacing(3);
    scroll_->setWidget(inside);
    body()->addWidget(scroll_, 1);
}

void TwoLists::begin() {
    emptyLayout(upper_);
    emptyLayout(lower_);
    second_->hide();
}

// --- what is fitted

FittedPanel::FittedPanel() : TwoLists("Fitted against original", "Waiting") {
    setFixedWidth(284);
    wait_ = new QPushButton;
    wait_->setObjectName("toWaiting");
    wait_->setProperty("link", "faint");
    wait_->setToolTip(tr("What could not be computed yet, and what it waits for"));
    connect(wait_, &QPushButton::clicked, this,
            [this] { scroll_->verticalScrollBar()->setValue(second_->mapTo(scroll_->widget(), QPoint()).y()); });
    headRow()->addWidget(wait_);
    auto* sheet = new QPushButton(tr("Build sheet"));
    sheet->setObjectName("toBuildSheet");
    connect(sheet, &QPushButton::clicked, this, &FittedPanel::sheetWanted);
    body()->addWidget(sheet);
}

void FittedPanel::show(const proposals::BuildSheet& sheet, const job::BaseWork* work) {
    begin();
    const size_t waiting = work ? work->plan.waiting.size() : 0;
    wait_->setVisible(waiting > 0);
    wait_->setText(QString("%1 %2").arg(waiting).arg(waiting == 1 ? "waits" : "wait"));
    std::string_view group;
    for (const auto& kind : proposals::factKinds()) {
        const auto value = sheet.of(kind.fact);
        if (!value) continue;
        if (kind.group != group) {
            group = kind.group;
            const bool proposed = work && std::any_of(work->plan.proposals.begin(), work->plan.proposals.end(),
                                                      [&](const auto& p) { return p.cause == group; });
            auto* head = new QPushButton(qs(group));
            head->setObjectName("lookAt_" + head->text());
            head->setProperty("link", "faint");
            head->setEnabled(proposed);
            head->setToolTip(proposed ? tr("To what is proposed for it") : tr("Nothing is proposed for it"));
            connect(head, &QPushButton::clicked, this, [this, cause = head->text()] { emit causeWanted(cause); });
            if (upper_->count()) upper_->addSpacing(5);
            upper_->addWidget(head);
        }
        addFact(kind, *value, work ? work->expected[static_cast<size_t>(kind.fact)] : sheet.of(kind.fact, false));
    }
    if (upper_->count() == 0) upper_->addWidget(wrapped(tr("Nothing is on the build sheet yet."), "faint"));
    addBesides(sheet);
    if (work) addWaiting(work->plan);
}

void FittedPanel::addFact(const proposals::FactKind& kind, double value, std::optional<double> stock) {
    const QString is = qs(formatNumber(value, kind.decimals));
    const QString was = stock ? qs(formatNumber(*stock, kind.decimals)) : QString();
    const bool differs = was != is;
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    row->addWidget(wrapped(qs(kind.title), differs ? nullptr : "faint"), 1);
    row->addWidget(label(
        (differs && stock ? was + " \u2192 " : QString()) + is + (kind.unit.empty() ? QString() : " " + qs(kind.unit)),
        differs ? "numbers" : "faintnumbers"));
    upper_->addWidget(box);
}

void FittedPanel::addBesides(const proposals::BuildSheet& sheet) {
    const auto besides = [&](const QString& text) {
        upper_->addSpacing(5);
        upper_->addWidget(wrapped(text));
    };
    if (!sheet.meterCurve.empty())
        besides(tr("Another airflow meter, with a curve of %1 points").arg(sheet.meterCurve.size()));
    if (sheet.wish != proposals::Wish::Power)
        besides("Wanted most of all: " + qs(proposals::kWishes[static_cast<size_t>(sheet.wish)]));
    if (sheet.loadModel != proposals::LoadModel::AsBuilt)
        besides("Air estimate by " + qs(proposals::kLoadModels[static_cast<size_t>(sheet.loadModel)]));
    if (!sheet.gears.empty()) {
        QStringList ratios;
        for (const double ratio : sheet.gears)
            ratios << QString::fromStdString(exactNumber(ratio));
        besides("Gears " + ratios.join(", "));
    }
    if (sheet.regulator != proposals::Regulator::AsBuilt)
        besides("Fuel pressure held " + qs(proposals::kRegulators[static_cast<size_t>(sheet.regulator)]));
    if (sheet.wideband != proposals::WidebandPlace::NotTold)
        besides("Wideband " + qs(proposals::kWidebandPlaces[static_cast<size_t>(sheet.wideband)]));
    if (!sheet.notes.empty()) besides("Besides: " + qs(sheet.notes));
}

void FittedPanel::addWaiting(const proposals::BasePlan& plan) {
    if (plan.waiting.empty()) return;
    second_->show();
    std::vector<const proposals::Waiting*> waiting;
    for (const auto& w : plan.waiting)
        waiting.push_back(&w);
    // First those for which something is known already.
    std::stable_partition(waiting.begin(), waiting.end(),
                          [](const auto* w) { return w->begun || !w->role.empty() || !w->problem.empty(); });
    for (const auto* w : waiting) {
        lower_->addWidget(wrapped(qs(w->sentence()), w->problem.empty() ? "faint" : "warm"));
        if (w->role.empty()) continue;
        const auto* role = roles::meaningOf(w->role);
        auto* ask = new QPushButton(tr("Find the ") + qs(role ? role->title : w->role));
        ask->setObjectName("ask_" + qs(w->role));
        connect(ask, &QPushButton::clicked, this, [this, id = qs(w->role)] { emit roleWanted(id); });
        lower_->addWidget(ask);
    }
}

// --- the first drives

FirstDrivesPanel::FirstDrivesPanel() : TwoLists("First drives", "Contradictions") {
    setFixedWidth(224);
    stages_ = new QComboBox;
    stages_->setObjectName("stage");
    stages_->setAccessibleName(tr("Stage of the next drives"));
    for (const auto stage : proposals::kStages)
        stages_->addItem(qs(stage));
    connect(stages_, &QComboBox::activated, this,
            [this](int index) { emit stageChosen(static_cast<proposals::Stage>(index)); });
    headRow()->addWidget(stages_);
}

void FirstDrivesPanel::show(const job::BaseWork* work, proposals::Stage stage) {
    stages_->setCurrentIndex(static_cast<int>(stage));
    begin();
    if (!work) return;
    for (const auto& one : work->stages)
        addStage(one, one.stage == stage);
    second_->show();
    if (work->contradictions.empty())
        lower_->addWidget(wrapped(tr("None found in the calibration as it would be."), "good"));
    for (const auto& c : work->contradictions) {
        auto* title = new QPushButton(qs(c.title));
        title->setObjectName("contradiction_" + qs(c.id));
        title->setProperty("link", "quiet");
        title->setToolTip(tr("Open it on Maps"));
        connect(title, &QPushButton::clicked, this, [this, n = qs(c.parameter)] { emit parameterWanted(n); });
        lower_->addWidget(title);
        lower_->addWidget(wrapped(qs(c.why), "warm"));
    }
}

void FirstDrivesPanel::addStage(const proposals::StagePlan& stage, bool isNow) {
    upper_->addWidget(label(qs(proposals::kStages[static_cast<size_t>(stage.stage)]), isNow ? "headingon" : "heading"));
    upper_->addWidget(wrapped(qs(stage.limits()), "faint"));
    if (!isNow) return;
    upper_->addWidget(wrapped(
        tr("%1 to %2 rpm, up to %3 kPa%4")
            .arg(stage.fromSpeed_rpm, 0, 'f', 0)
            .arg(stage.toSpeed_rpm, 0, 'f', 0)
            .arg(stage.toPressure_kPa, 0, 'f', 0)
            .arg(stage.coverage_pct > 0 ? tr(", %1 % of its cells").arg(stage.coverage_pct, 0, 'f', 0) : QString())));
    QStringList conditions, watch;
    for (const auto& condition : stage.conditions)
        conditions << "\u2013 " + qs(condition);
    for (const auto& w : stage.watch)
        watch << qs(w);
    upper_->addWidget(wrapped(tr("Before the next:\n") + conditions.join("\n")));
    upper_->addWidget(wrapped(tr("Watch: ") + watch.join(", "), "faint"));
}

}  // namespace brusk::app
