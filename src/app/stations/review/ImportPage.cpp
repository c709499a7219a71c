// The desk guesses and remembers; here it is shown and corrected.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/review/ImportPage.h"

#include <QFileDialog>
#include <QHeaderView>
#include <QLineEdit>
#include <QScrollArea>

#include "app/desks/CarInHand.h"
#include "app/desks/Desks.h"
#include "app/desks/ImportDesk.h"
#include "app/desks/Places.h"
#include "app/stations/review/ImportTable.h"
#include "core/base/Text.h"

namespace brusk::app {

namespace {

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

/// How sure a guess is, in a word.
QString sureText(double certainty) {
    if (certainty >= 0.9) return QObject::tr("sure");
    return certainty >= 0.7 ? QObject::tr("likely") : QObject::tr("a guess");
}

QString kindText(recording::FileKind kind) {
    if (kind == recording::FileKind::Mdf4) return QObject::tr("MDF 4");
    return kind == recording::FileKind::Table ? QObject::tr("a table") : QObject::tr("a CAN log");
}

/// A box of choices, or a line, for a point; `say` gets what is chosen or typed.
template <class Say>
QWidget* editorFor(const recording::GuessPoint& point, Say say) {
    if (point.choices.empty()) {
        auto* line = new QLineEdit;
        QObject::connect(line, &QLineEdit::editingFinished, line, [line, say] {
            if (line->isModified()) say(line->text().trimmed().toStdString());
        });
        return line;
    }
    auto* box = new QComboBox;
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    box->setMinimumContentsLength(8);
    for (const auto& choice : point.choices)
        box->addItem(qs(choice.title), qs(choice.value));
    QObject::connect(box, &QComboBox::activated, box, [box, say] { say(box->currentData().toString().toStdString()); });
    return box;
}

void setValue(QWidget* editor, const recording::GuessPoint& point) {
    if (auto* box = qobject_cast<QComboBox*>(editor)) {
        int at = box->findData(qs(point.value));
        if (at < 0) box->addItem(qs(point.value), qs(point.value)), at = box->count() - 1;
        box->setCurrentIndex(at);
    } else if (auto* line = qobject_cast<QLineEdit*>(editor); line && !line->isModified()) {
        line->setText(qs(point.value));
    } else if (line) {
        line->setText(qs(point.value)), line->setModified(false);
    }
}

}  // namespace

ImportPage::ImportPage(Desks& desks, QWidget* parent) : QWidget(parent), desks_(desks) {
    setObjectName("importPage");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    auto* top = new QHBoxLayout;
    what_ = new ElidedLabel("heading");
    what_->setObjectName("importWhat");
    top->addWidget(what_, 1);
    dbc_ = new QPushButton(tr("Its frames are described in \u2026"));
    dbc_->setObjectName("importDbc");
    dbc_->setToolTip(tr("A DBC file; it goes into your own library and serves for every log after this one"));
    again_ = new QPushButton(tr("Guess again"));
    again_->setObjectName("importAgain");
    again_->setToolTip(tr("Forget what you said of files like this one"));
    auto* aside = new QPushButton(tr("Put it aside"));
    aside->setObjectName("importAside");
    for (QPushButton* button : {dbc_, again_, aside})
        top->addWidget(button);
    column->addLayout(top);
    refusal_ = label({}, "alarm");
    refusal_->setObjectName("importRefusal");
    refusal_->setWordWrap(true);
    column->addWidget(refusal_);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(12);
    middle->addWidget(makeSide());
    middle->addWidget(makeTables(), 1);
    column->addLayout(middle, 1);
    connect(aside, &QPushButton::clicked, &desks_.imports, &ImportDesk::putAside);
    connect(again_, &QPushButton::clicked, &desks_.imports, &ImportDesk::forgetWhatWasSaid);
    connect(dbc_, &QPushButton::clicked, this, &ImportPage::chooseDbc);
    connect(look_, &QPushButton::clicked, &desks_.imports, &ImportDesk::look);
    connect(keep_, &QPushButton::clicked, this, [this] {
        const auto round = round_->currentData();
        desks_.imports.keep(round.isValid() ? std::optional<int64_t>(round.toLongLong()) : std::nullopt);
    });
    connect(&desks_.imports, &ImportDesk::changed, this, &ImportPage::refresh);
    connect(&desks_.imports, &ImportDesk::workingChanged, this, &ImportPage::refreshButtons);
    connect(&desks_.car, &CarInHand::roundsChanged, this, &ImportPage::refreshRounds);
    refreshRounds();
    refresh();
}

QWidget* ImportPage::makeSide() {
    auto* side = new QWidget;
    side->setFixedWidth(336);
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(12);
    auto* how = new Panel(tr("How it is read"));
    auto* inside = new QWidget;
    points_ = new QFormLayout(inside);
    points_->setContentsMargins(0, 0, 4, 0);
    points_->setFieldGrowthPolicy(QFormLayout::ExpandingFieldsGrow);
    points_->setLabelAlignment(Qt::AlignLeft);
    auto* room = new QScrollArea;
    room->setFrameShape(QFrame::NoFrame);
    room->setWidgetResizable(true);
    room->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    room->setWidget(inside);
    how->body()->addWidget(room, 1);
    column->addWidget(how, 1);
    auto* where = new Panel(tr("Where it goes"));
    where->body()->addWidget(label(tr("Driven on"), "faint"));
    round_ = new QComboBox;
    round_->setObjectName("importRound");
    round_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    where->body()->addWidget(round_);
    keep_ = new QPushButton(tr("Keep it in the car's folder"));
    keep_->setObjectName("importKeep");
    keep_->setProperty("primary", true);
    look_ = new QPushButton(tr("Look at it, keep nothing"));
    look_->setObjectName("importLook");
    where->body()->addWidget(keep_);
    where->body()->addWidget(look_);
    column->addWidget(where);
    return side;
}

QWidget* ImportPage::makeTables() {
    auto* tables = new QWidget;
    auto* column = new QVBoxLayout(tables);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(12);
    const auto table = [&](const QString& heading, QAbstractItemModel* model, const char* name, int stretch) {
        auto* panel = new Panel(heading);
        auto* view = new QTableView;
        view->setObjectName(name);
        view->setModel(model);
        view->verticalHeader()->hide();
        view->verticalHeader()->setDefaultSectionSize(24);
        view->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        view->setWordWrap(false);
        view->setShowGrid(false);
        view->setFrameShape(QFrame::NoFrame);
        panel->body()->addWidget(view, 1);
        column->addWidget(panel, stretch);
        return view;
    };
    columns_ = table(tr("Its columns: click to correct"), new ImportColumns(desks_.imports, this), "importColumns", 3);
    columns_->setItemDelegate(new ChoiceDelegate(columns_));
    columns_->setEditTriggers(QAbstractItemView::AllEditTriggers);
    columns_->setSelectionMode(QAbstractItemView::SingleSelection);
    const int widths[] = {38, 120, 122, 58, 146, 66, 52, 50};
    for (int i = 0; i < ImportColumns::kColumns; ++i)
        columns_->setColumnWidth(i, widths[i]);
    columns_->horizontalHeader()->setStretchLastSection(true);
    rows_ = table(tr("Its first rows, as they will be read"), new FirstRows(desks_.imports, this), "importRows", 2);
    rows_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    rows_->horizontalHeader()->setDefaultAlignment(Qt::AlignRight | Qt::AlignVCenter);
    rows_->horizontalHeader()->setMinimumSectionSize(64);
    return tables;
}

void ImportPage::chooseDbc() {
    const QString path =
        QFileDialog::getOpenFileName(this, tr("What its frames mean"), {}, tr("DBC files (*.dbc);;All files (*)"));
    if (!path.isEmpty()) desks_.imports.addDbc(path.toStdString());
}

void ImportPage::refresh() {
    const auto& desk = desks_.imports;
    const auto* shown = desk.shown();
    const QString file = qs(validText(desk.path().filename().string()));
    QString what = desk.working() ? tr("%1 is being read \u2026").arg(file) : file;
    if (shown) {
        const auto used = std::count_if(shown->plan.columns.begin(), shown->plan.columns.end(),
                                        [](const auto& column) { return column.use; });
        what = tr("%1: %2, %3 of %4 columns used")
                   .arg(file, kindText(shown->file.kind()))
                   .arg(used)
                   .arg(shown->plan.columns.size());
        if (shown->file.isOurs()) what += tr(", recorded by Brusk");
    }
    what_->setText(what);
    refusal_->setText(desk.refusal());
    refusal_->setVisible(!desk.refusal().isEmpty());
    dbc_->setVisible(desk.wantsDbc() || (shown && shown->file.kind() == recording::FileKind::CanLog));
    refreshButtons();
    refreshPoints();
    rows_->resizeColumnsToContents();
}

void ImportPage::refreshButtons() {
    const auto& desk = desks_.imports;
    const auto* shown = desk.shown();
    again_->setEnabled(shown && !desk.working());
    const bool ready = shown && !desk.working() && !shown->first.groups.empty();
    look_->setEnabled(ready);
    keep_->setEnabled(ready && desks_.car.mayWrite().has_value());
    keep_->setToolTip(desks_.car.mayWrite() ? QString() : qs(desks_.car.mayWrite().error().text()));
}

void ImportPage::refreshPoints() {
    const auto* shown = desks_.imports.shown();
    QString names;
    if (shown)
        for (const auto& point : shown->plan.points)
            names += qs(point.id) + QString::number(point.choices.size()) + ' ';
    // Rows stay where they are, so that the keyboard goes on from one to the next.
    if (names != pointsShown_) {
        while (points_->rowCount() > 0)
            points_->removeRow(0);
        pointsShown_ = names;
        if (!shown) return;
        for (const auto& point : shown->plan.points) {
            auto* row = new QWidget;
            auto* across = new QHBoxLayout(row);
            across->setContentsMargins(0, 0, 0, 0);
            QWidget* editor =
                editorFor(point, [this, id = point.id](const std::string& value) { desks_.imports.say(id, value); });
            editor->setObjectName("importPoint_" + qs(point.id));
            editor->setAccessibleName(qs(point.title));
            across->addWidget(editor, 1);
            auto* sure = label({}, "faint");
            sure->setObjectName("importSure_" + qs(point.id));
            sure->setFixedWidth(48);
            across->addWidget(sure);
            auto* title = label(qs(point.title));
            title->setWordWrap(true);
            title->setFixedWidth(100);
            points_->addRow(title, row);
        }
    }
    if (!shown) return;
    for (const auto& point : shown->plan.points) {
        auto* editor = findChild<QWidget*>("importPoint_" + qs(point.id));
        auto* sure = findChild<QLabel*>("importSure_" + qs(point.id));
        setValue(editor, point);
        sure->setText(point.why == "as you said" ? tr("said") : sureText(point.certainty));
        setRole(sure, point.certainty < 0.7 ? "warm" : "faint");
        const QString takes = point.takes.empty() ? QString() : tr("\nIt can be %1.").arg(qs(point.takes));
        for (QWidget* one : {editor, static_cast<QWidget*>(sure)})
            one->setToolTip(tr("%1 % sure: %2").arg(point.certainty * 100, 0, 'f', 0).arg(qs(point.why)) + takes);
    }
}

void ImportPage::refreshRounds() {
    const QVariant before = round_->currentData();
    round_->clear();
    round_->addItem(tr("no round: kept unbound"));
    for (const auto& round : desks_.car.rounds)
        round_->addItem(tr("round %1, %2").arg(round.number).arg(qs(round.title)), QVariant::fromValue(round.id));
    round_->setCurrentIndex(std::max(0, before.isValid() ? round_->findData(before) : 0));
}

}  // namespace brusk::app
