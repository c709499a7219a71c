// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/base/BaseStation.h"

#include <QPushButton>
#include <QScrollBar>
#include <QShortcut>
#include <QToolButton>
#include <algorithm>
#include <tuple>

#include "core/base/Text.h"

namespace brusk::app {

namespace {

constexpr const char* kDecisions = "base_decisions";  // settings of the folder
constexpr const char* kStage = "stage";

QString qs(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}

/// The inside of a scroll area that takes the width there is and wraps its texts.
QWidget* narrow() {
    auto* inside = new QWidget;
    inside->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    return inside;
}

/// Two lists in a panel, the second under a heading; they scroll where there is too much for it.
std::tuple<QVBoxLayout*, QLabel*, QVBoxLayout*> twoLists(Panel* panel, const char* second) {
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = narrow();
    auto* column = new QVBoxLayout(inside);
    column->setContentsMargins(0, 0, 4, 0);
    column->setSpacing(4);
    auto *upper = new QVBoxLayout, *lower = new QVBoxLayout;
    auto* heading = label(second, "heading");
    heading->setContentsMargins(0, 8, 0, 0);
    column->addLayout(upper);
    column->addWidget(heading);
    column->addLayout(lower);
    column->addStretch();
    for (auto* list : {upper, lower})
        list->setSpacing(3);
    scroll->setWidget(inside);
    panel->body()->addWidget(scroll, 1);
    return {upper, heading, lower};
}

QLabel* wrapped(const QString& text, const char* role = nullptr) {
    auto* l = label(text, role);
    l->setWordWrap(true);
    return l;
}

}  // namespace

BaseStation::BaseStation(Session& session, QWidget* parent) : Station("Base", parent), session_(session) {
    primary()->setObjectName("makeBaseRound");
    auto* columns = new QHBoxLayout;
    columns->setSpacing(12);
    makeSide(columns);
    scroll_ = new QScrollArea;
    scroll_->setWidgetResizable(true);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    columns->addWidget(scroll_, 1);
    makePlan(columns);
    body()->addLayout(columns, 1);
    connect(primary(), &QPushButton::clicked, this, &BaseStation::makeRound);
    auto* make = new QShortcut(QKeySequence("Ctrl+Return"), this);
    make->setContext(Qt::WidgetWithChildrenShortcut);
    connect(make, &QShortcut::activated, this, [this] {
        if (primary()->isEnabled()) makeRound();
    });
    for (auto change : {&Session::roundSelected, &Session::folderChanged, &Session::linkChanged,
                        &Session::buildSheetChanged, &Session::definitionChanged, &Session::unitsChanged})
        connect(&session_, change, this, [this] {
            if (isVisible()) compute();
        });
    compute();
}

void BaseStation::makeSide(QHBoxLayout* columns) {
    auto* side = new Panel("Fitted against original");
    side->setFixedWidth(264);
    std::tie(fitted_, waitingHead_, waiting_) = twoLists(side, "Waiting");
    auto* sheet = new QPushButton("Build sheet");
    sheet->setObjectName("toBuildSheet");
    connect(sheet, &QPushButton::clicked, this, [this] { emit session_.stationWanted("Car"); });
    side->body()->addWidget(sheet);
    columns->addWidget(side);
}

void BaseStation::makePlan(QHBoxLayout* columns) {
    auto* panel = new Panel("First drives");
    panel->setFixedWidth(224);
    stageChoice_ = new QComboBox;
    stageChoice_->setObjectName("stage");
    stageChoice_->setAccessibleName("Stage of the next drives");
    for (const auto stage : proposals::kStages)
        stageChoice_->addItem(qs(stage));
    connect(stageChoice_, &QComboBox::activated, this, [this](int index) {
        stage_ = static_cast<proposals::Stage>(index);
        // A limit set by hand was meant for its own stage.
        std::erase_if(decisions_, [](const auto& one) { return one.first.starts_with("stage_"); });
        keepDecisions();
        compute();
    });
    panel->headRow()->addWidget(stageChoice_);
    std::tie(planLines_, contradictionHead_, contradictions_) = twoLists(panel, "Contradictions");
    columns->addWidget(panel);
}

void BaseStation::compute() {
    work_.reset();
    problem_.clear();
    const auto* round = session_.selected();
    if (session_.folder()) {
        auto decisions = job::decisionsFromJson(session_.folder()->setting(kDecisions));
        if (!decisions) session_.say(qs(decisions.error().text()), true);
        decisions_ = std::move(decisions).value_or(proposals::Decisions{});
        const std::string kept = session_.folder()->setting(kStage);
        const auto at = std::find(std::begin(proposals::kStages), std::end(proposals::kStages), kept);
        stage_ = at == std::end(proposals::kStages)
                     ? proposals::Stage::Gentle
                     : static_cast<proposals::Stage>(at - std::begin(proposals::kStages));
    }
    stageChoice_->setCurrentIndex(static_cast<int>(stage_));
    if (round && session_.kit() && session_.calibration()) {
        auto work =
            job::baseWork(*session_.kit(), *session_.folder(), round->id, session_.buildSheet(), decisions_, stage_);
        if (work)
            work_ = std::move(*work);
        else
            problem_ = work.error().text();
    }
    fill();
}

void BaseStation::fill() {
    // The keyboard stays where it was.
    const QString focused = focusWidget() ? focusWidget()->objectName() : QString();
    const int scrolled = scroll_->verticalScrollBar()->value();
    subtitle()->setText(
        session_.selected()
            ? QString("built on round %1, %2").arg(session_.selected()->number).arg(qs(session_.selected()->title))
            : "");
    fillFitted();
    fillPlan();
    // The old cards go as the new ones take their place.
    auto* inside = narrow();
    cards_ = new QVBoxLayout(inside);
    cards_->setContentsMargins(0, 0, 6, 0);
    cards_->setSpacing(10);
    fillCards();
    cards_->addStretch();
    scroll_->setWidget(inside);
    inside->show();
    refreshButton();
    scroll_->verticalScrollBar()->setValue(scrolled);
    if (auto* again = focused.isEmpty() ? nullptr : findChild<QWidget*>(focused)) again->setFocus();
}

void BaseStation::fillCards() {
    if (!work_) {
        cards_->addWidget(problem_.empty()
                              ? wrapped("There is nothing to build on yet. Connect and read the controller on "
                                        "the Car station.",
                                        "faint")
                              : wrapped(qs(problem_), "alarm"));
        return;
    }
    for (const std::string& conflict : work_->plan.conflicts)
        cards_->addWidget(wrapped(qs(conflict), "warm"));
    if (!work_->onOriginal)
        cards_->addWidget(
            wrapped("This round is built on the base; here are the limits of the drives that come next. "
                    "Select the original to change the base itself.",
                    "faint"));
    std::string cause;
    for (const auto& p : work_->plan.proposals) {
        if (p.cause != cause) cards_->addWidget(causeHead(qs(cause = p.cause)));
        auto* card = new ProposalCard(p, session_.unitPreferences());
        connect(card, &ProposalCard::decided, this, &BaseStation::decide);
        connect(card, &ProposalCard::parameterWanted, &session_, &Session::parameterWanted);
        cards_->addWidget(card);
    }
    if (work_->plan.proposals.empty())
        cards_->addWidget(
            wrapped("The build sheet names no part that differs. Fill it in on the Car station.", "faint"));
}

QWidget* BaseStation::causeHead(const QString& cause) {
    auto* box = new QWidget;
    auto* row = new QHBoxLayout(box);
    row->setContentsMargins(2, 4, 0, 0);
    row->addWidget(label(cause, "heading"));
    for (const auto& [text, accept] : {std::pair{"all", true}, {"none", false}}) {
        auto* button = new QToolButton;
        button->setText(text);
        button->setProperty("flat", true);
        button->setObjectName((accept ? "all_" : "none_") + cause);
        button->setToolTip((accept ? "Accept all of " : "Leave out all of ") + cause);
        button->setFocusPolicy(Qt::TabFocus);
        connect(button, &QToolButton::clicked, this,
                [this, cause = cause.toStdString(), accept = accept] { decideCause(cause, accept); });
        row->addWidget(button);
    }
    row->addStretch();
    return box;
}

void BaseStation::fillFitted() {
    emptyLayout(fitted_);
    emptyLayout(waiting_);
    const auto sheet = session_.buildSheet();
    std::string_view group;
    for (const auto& kind : proposals::factKinds()) {
        const auto value = sheet.of(kind.fact);
        if (!value) continue;
        if (kind.group != group) {
            auto* head = label(qs(group = kind.group), "faint");
            head->setContentsMargins(0, fitted_->count() ? 5 : 0, 0, 0);
            fitted_->addWidget(head);
        }
        const auto number = [&](double v) { return qs(formatNumber(v, kind.decimals)); };
        const auto stock = sheet.of(kind.fact, false);
        auto* box = new QWidget;
        auto* row = new QHBoxLayout(box);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(4);
        row->addWidget(wrapped(qs(kind.title)), 1);
        row->addWidget(label((stock ? number(*stock) + " \u2192 " : QString()) + number(*value) +
                                 (kind.unit.empty() ? QString() : " " + qs(kind.unit)),
                             "numbers"));
        fitted_->addWidget(box);
    }
    if (fitted_->count() == 0) fitted_->addWidget(wrapped("Nothing is on the build sheet yet.", "faint"));
    waitingHead_->setVisible(work_ && !work_->plan.waiting.empty());
    if (!work_) return;
    for (const auto& w : work_->plan.waiting) {
        auto* line = wrapped(qs(w.title) + " lacks " + qs(w.what), "faint");
        waiting_->addWidget(line);
        if (w.role.empty()) continue;
        auto* ask = new QPushButton("Who plays \"" + qs(w.role) + "\"?");
        ask->setObjectName("ask_" + qs(w.role));
        connect(ask, &QPushButton::clicked, this, [this] { emit session_.rolesWanted(); });
        waiting_->addWidget(ask);
    }
}

void BaseStation::fillPlan() {
    emptyLayout(planLines_);
    emptyLayout(contradictions_);
    contradictionHead_->setVisible(work_.has_value());
    if (!work_) return;
    for (const auto& stage : work_->stages) {
        const bool now = stage.stage == stage_;
        auto* name = label(qs(proposals::kStages[static_cast<size_t>(stage.stage)]), now ? "headingon" : "heading");
        planLines_->addWidget(name);
        planLines_->addWidget(wrapped(qs(stage.limits()), "faint"));
        if (!now) continue;
        planLines_->addWidget(
            wrapped(QString("%1 to %2 rpm, up to %3 kPa%4")
                        .arg(stage.fromSpeed_rpm, 0, 'f', 0)
                        .arg(stage.toSpeed_rpm, 0, 'f', 0)
                        .arg(stage.toPressure_kPa, 0, 'f', 0)
                        .arg(stage.coverage_pct > 0 ? QString(", %1 % of its cells").arg(stage.coverage_pct, 0, 'f', 0)
                                                    : QString())));
        QStringList lines;
        for (const auto& condition : stage.conditions)
            lines << "\u2013 " + qs(condition);
        planLines_->addWidget(wrapped("Before the next:\n" + lines.join("\n")));
        QStringList watch;
        for (const auto& w : stage.watch)
            watch << qs(w);
        planLines_->addWidget(wrapped("Watch: " + watch.join(", "), "faint"));
    }
    if (work_->contradictions.empty())
        contradictions_->addWidget(wrapped("None found in the calibration as it would be.", "good"));
    for (const auto& c : work_->contradictions) {
        auto* title = new QToolButton;
        title->setText(qs(c.title));
        title->setObjectName("contradiction_" + qs(c.id));
        title->setProperty("flat", true);
        title->setToolTip("Open it on Maps");
        connect(title, &QToolButton::clicked, this, [this, n = qs(c.parameter)] { emit session_.parameterWanted(n); });
        contradictions_->addWidget(title);
        contradictions_->addWidget(wrapped(qs(c.why), "warm"));
    }
}

void BaseStation::keepDecisions() {
    if (!session_.folder()) return;
    const auto keep = [&](const char* key, const std::string& value) {
        if (auto done = session_.folder()->setSetting(key, value); !done) session_.say(qs(done.error().text()), true);
    };
    keep(kDecisions, job::toJson(decisions_));
    keep(kStage, std::string(proposals::kStages[static_cast<size_t>(stage_)]));
}

void BaseStation::decide(const std::string& id, const proposals::Decision& decision) {
    decisions_[id] = decision;
    keepDecisions();
    // The card that asked is still on the way out of its own event.
    QMetaObject::invokeMethod(this, &BaseStation::compute, Qt::QueuedConnection);
}

void BaseStation::decideCause(const std::string& cause, bool accept) {
    if (!work_) return;
    // Also what is not proposed just now, because something it is computed on was left out.
    for (auto& [id, decision] : decisions_)
        if (proposals::causeOf(id) == cause) decision.accepted = accept;
    for (const auto& p : work_->plan.proposals)
        if (p.cause == cause) decisions_[p.id] = {accept, p.strength, p.byHand ? p.number : std::nullopt};
    keepDecisions();
    QMetaObject::invokeMethod(this, &BaseStation::compute, Qt::QueuedConnection);
}

void BaseStation::refreshButton() {
    const auto count = work_ ? work_->plan.edits().size() : 0;
    const int next = session_.rounds().empty() ? 1 : session_.rounds().front().number + 1;
    primary()->setText(
        count ? QString("Make round %1 with %2 %3").arg(next).arg(count).arg(count == 1 ? "proposal" : "proposals")
              : QString("Make round %1").arg(next));
    primary()->setEnabled(count > 0);
}

void BaseStation::makeRound() {
    if (!work_) return;
    const std::string title = work_->onOriginal
                                  ? "Base for the new parts"
                                  : "Limits for " + std::string(proposals::kStages[static_cast<size_t>(stage_)]);
    const auto round = session_.makeRound(work_->plan.edits(), title, work_->plan.account(session_.buildSheet()));
    if (!round) return session_.say(qs(round.error().text()), true);
    session_.say(QString("Round %1 is made. Flash it next.").arg(round->number));
}

}  // namespace brusk::app
