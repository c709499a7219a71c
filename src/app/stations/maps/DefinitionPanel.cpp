// Edits are texts of a new definition, kept through the desk; nothing is changed in place.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/DefinitionPanel.h"

#include <QFileDialog>
#include <QFormLayout>
#include <QHeaderView>
#include <QPointer>
#include <QSignalBlocker>
#include <QToolButton>
#include <cmath>
#include <set>

#include "app/desks/Background.h"
#include "app/widgets/Panels.h"
#include "core/base/Text.h"
#include "core/definition/A2lWriter.h"
#include "core/job/Donors.h"
#include "core/job/Maps.h"

namespace brusk::app {

using definition::Parameter;

namespace {

constexpr int kOther = 1;  // the question about another definition, beside that about roles

QFormLayout* formIn(QWidget* page) {
    auto* form = new QFormLayout(page);
    form->setContentsMargins(0, 8, 0, 0);
    form->setVerticalSpacing(6);
    form->setHorizontalSpacing(8);
    return form;
}

QLineEdit* field(QFormLayout* form, const char* title, const char* object, const char* hint = "") {
    auto* edit = new QLineEdit;
    edit->setObjectName(object);
    edit->setPlaceholderText(hint);
    form->addRow(label(title, "faint"), edit);
    return edit;
}

QComboBox* choice(QFormLayout* form, const char* title, const char* object, const QStringList& items,
                  bool editable = false) {
    auto* box = new QComboBox;
    box->setObjectName(object);
    box->addItems(items);
    box->setEditable(editable);
    box->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    form->addRow(label(title, "faint"), box);
    return box;
}

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

}  // namespace

DefinitionPanel::DefinitionPanel(MapsWork& work, QWidget* parent) : QFrame(parent), work_(work) {
    setObjectName("definitionPanel");
    setFixedWidth(312);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(10, 10, 12, 10);
    auto* head = new QHBoxLayout;
    head->addWidget(label(tr("Definition"), "heading"), 1);
    auto* close = new QToolButton;
    close->setProperty("flat", true);
    close->setText("\u2715");
    close->setAccessibleName(tr("Back to the card"));
    connect(close, &QToolButton::clicked, this, &DefinitionPanel::closed);
    head->addWidget(close);
    column->addLayout(head);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    pages_ = new QStackedWidget;
    int index = 0;
    for (const auto& [object, text] :
         {std::pair{"editPage", "This one"}, {"addPage", "Address"}, {"copyPage", "Copy"}, {"rolesPage", "Roles"}}) {
        auto* tab = new QToolButton;
        tab->setObjectName(object);
        tab->setText(text);
        tab->setProperty("flat", true);
        tab->setCheckable(true);
        tab->setAutoExclusive(true);
        tab->setChecked(index == 0);
        connect(tab, &QToolButton::clicked, this, [this, index] {
            pages_->setCurrentIndex(index);
            if (pages_->currentWidget() == roles_) guessRoles();
        });
        row->addWidget(tab);
        tabs_ << tab;
        ++index;
    }
    row->addStretch();
    column->addLayout(row);
    pages_->addWidget(makeEditPage());
    pages_->addWidget(makeAddPage());
    pages_->addWidget(makeCopyPage());
    roles_ = new RolesPage;
    pages_->addWidget(roles_);
    connect(roles_, &RolesPage::nameFollowed, this, &DefinitionPanel::nameFollowed);
    connect(roles_, &RolesPage::confirmed, this, [this](const auto& given) {
        if (!work_.definition() || given.empty()) return;
        keep(definition::withRoles(*work_.definition(), given), name_,
             tr("Kept %1 %2 in the definition.").arg(given.size()).arg(given.size() == 1 ? "role" : "roles"));
    });
    connect(&work_, &MapsWork::definitionChanged, this, [this] {
        if (isVisible() && pages_->currentWidget() == roles_) guessRoles();
    });
    column->addWidget(pages_, 1);
    auto* fact =
        label(tr("Kept as a new A2L file in the car folder; the one it came from is never written over."), "faint");
    fact->setWordWrap(true);
    column->addWidget(fact);
    connect(&work_, &MapsWork::calibrationChanged, this, [this] {
        if (isVisible()) preview();
    });
}

void DefinitionPanel::showRoles(const QString& wanted) {
    roles_->want(wanted);
    tabs_.last()->click();
}

void DefinitionPanel::guessRoles() {
    const auto ours = work_.definition();
    if (!ours || rolesOf_ == ours) return;
    rolesOf_ = ours;
    roles_->showBusy();
    constexpr size_t kOffered = 6;  // for each role
    work_.background().latest(
        this, [of = rolesOf_] { return definition::missingRoles(*of, kOffered); },
        [this, of = rolesOf_](const std::vector<definition::MissingRole>& missing) {
            if (rolesOf_ == of) roles_->show(*of, missing);
        });
}

QWidget* DefinitionPanel::makeEditPage() {
    auto* page = new QWidget;
    auto* form = formIn(page);
    nameEdit_ = field(form, "Name", "editName");
    labelEdit_ = field(form, "Shown as", "editLabel");
    descriptionEdit_ = field(form, "Description", "editDescription");
    groupEdit_ = choice(form, "Group", "editGroup", {}, true);
    roleEdit_ = choice(form, "Role", "editRole", {}, true);
    roleEdit_->setToolTip(tr("What it means to the engine, whatever its maker called it"));
    addressEdit_ = field(form, "Address", "editAddress");
    auto* keepButton = new QPushButton(tr("Keep"));
    keepButton->setObjectName("keepDefinition");
    keepButton->setProperty("primary", true);
    connect(keepButton, &QPushButton::clicked, this, &DefinitionPanel::keepEdits);
    form->addRow(keepButton);
    return page;
}

QWidget* DefinitionPanel::makeAddPage() {
    auto* page = new QWidget;
    auto* form = formIn(page);
    newName_ = field(form, "Name", "newName");
    newDescription_ = field(form, "Description", "newDescription");
    newAddress_ = field(form, "Address", "newAddress", "0x8C0000");
    kind_ = choice(form, "Kind", "newKind", {"value", "curve", "map", "text"});
    auto* size = new QWidget;
    auto* sizeRow = new QHBoxLayout(size);
    sizeRow->setContentsMargins(0, 0, 0, 0);
    columns_ = new QSpinBox;
    rows_ = new QSpinBox;
    columns_->setObjectName("newColumns");
    rows_->setObjectName("newRows");
    for (QSpinBox* box : {columns_, rows_}) {
        box->setRange(1, 256);
        box->setValue(8);
        box->setButtonSymbols(QAbstractSpinBox::NoButtons);
        sizeRow->addWidget(box, 1);
        if (box == columns_) sizeRow->addWidget(label("\u00d7", "faint"));
    }
    form->addRow(label(tr("Size"), "faint"), size);
    xAxis_ = choice(form, "Across", "newX", {});
    yAxis_ = choice(form, "Down", "newY", {});
    QStringList types;
    for (size_t i = 0; i < definition::kDataTypes; ++i)
        types << QString::fromUtf8(definition::dataTypeName(static_cast<definition::DataType>(i)).data());
    type_ = choice(form, "Stored as", "newType", types);
    order_ = choice(form, "Byte order", "newOrder", {"most significant first", "least significant first"});
    conversion_ = choice(form, "Conversion", "newConversion", {});
    auto* scale = new QWidget;
    auto* scaleRow = new QHBoxLayout(scale);
    scaleRow->setContentsMargins(0, 0, 0, 0);
    scaleRow->setSpacing(4);
    factor_ = new QLineEdit("1");
    offset_ = new QLineEdit("0");
    unit_ = new QLineEdit;
    decimals_ = new QSpinBox;
    decimals_->setRange(0, 6);
    decimals_->setToolTip(tr("Decimals"));
    decimals_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    decimals_->setFixedWidth(36);
    factor_->setObjectName("newFactor");
    offset_->setObjectName("newOffset");
    unit_->setObjectName("newUnit");
    factor_->setToolTip(tr("Physical value of one count"));
    offset_->setToolTip(tr("Physical value of zero counts"));
    unit_->setPlaceholderText(tr("unit"));
    for (QWidget* w : std::initializer_list<QWidget*>{factor_, offset_, unit_, decimals_})
        scaleRow->addWidget(w);
    form->addRow(label(tr("Factor, zero"), "faint"), scale);
    newGrid_ = new MapGrid;
    newGrid_->setObjectName("newGrid");
    newGrid_->setScrolling(true);
    newGrid_->setMinimumHeight(120);
    form->addRow(newGrid_);
    newProblem_ = label({}, "warm");
    newProblem_->setObjectName("newProblem");
    newProblem_->setWordWrap(true);
    form->addRow(newProblem_);
    add_ = new QPushButton(tr("Add"));
    add_->setObjectName("addParameter");
    add_->setProperty("primary", true);
    form->addRow(add_);
    connect(add_, &QPushButton::clicked, this, &DefinitionPanel::addDescribed);
    for (QLineEdit* edit : {newName_, newDescription_, newAddress_, factor_, offset_, unit_})
        connect(edit, &QLineEdit::textChanged, this, &DefinitionPanel::preview);
    for (QComboBox* box : {kind_, type_, order_, conversion_, xAxis_, yAxis_})
        connect(box, &QComboBox::currentIndexChanged, this, &DefinitionPanel::preview);
    for (QSpinBox* box : {columns_, rows_, decimals_})
        connect(box, &QSpinBox::valueChanged, this, &DefinitionPanel::preview);
    return page;
}

QWidget* DefinitionPanel::makeCopyPage() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 8, 0, 0);
    auto* row = new QHBoxLayout;
    otherFile_ = new QLineEdit;
    otherFile_->setObjectName("otherFile");
    otherFile_->setPlaceholderText(tr("Another definition (.a2l)"));
    auto* choose = new QPushButton(tr("Choose \u2026"));
    row->addWidget(otherFile_, 1);
    row->addWidget(choose);
    column->addLayout(row);
    otherFind_ = new QLineEdit;
    otherFind_->setObjectName("otherFind");
    otherFind_->setPlaceholderText(tr("Find in it"));
    column->addWidget(otherFind_);
    otherModel_ = new FinderModel(this);
    otherView_ = new QTreeView;
    otherView_->setObjectName("otherTree");
    otherView_->setModel(otherModel_);
    otherView_->setHeaderHidden(true);
    otherView_->setUniformRowHeights(true);
    otherView_->setRootIsDecorated(false);
    otherView_->header()->setStretchLastSection(false);
    otherView_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    column->addWidget(otherView_, 1);
    otherFact_ = label({}, "faint");
    otherFact_->setWordWrap(true);
    column->addWidget(otherFact_);
    copy_ = new QPushButton(tr("Copy over"));
    copy_->setObjectName("copyOver");
    copy_->setProperty("primary", true);
    copy_->setEnabled(false);
    column->addWidget(copy_);
    connect(choose, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Another definition", {}, "ASAM A2L (*.a2l);;All files (*)");
        if (!path.isEmpty()) openOther(path);
    });
    connect(otherFile_, &QLineEdit::returnPressed, this, [this] { openOther(otherFile_->text()); });
    connect(otherFind_, &QLineEdit::textChanged, this, &DefinitionPanel::findOther);
    connect(otherFind_, &QLineEdit::returnPressed, this,
            [this] { otherView_->setCurrentIndex(otherModel_->firstParameter()); });
    connect(otherView_->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& index) {
        const Parameter* p = otherModel_->parameter(index);
        copy_->setEnabled(p != nullptr);
        if (p) otherFact_->setText(qs(p->description + "\n" + p->name + " at " + hexAddress(p->address)));
    });
    connect(copy_, &QPushButton::clicked, this, &DefinitionPanel::copyChosen);
    return page;
}

void DefinitionPanel::fillChoices() {
    if (!work_.definition()) return;
    const auto& d = *work_.definition();
    const auto refill = [](QComboBox* box, const QStringList& items) {
        const QSignalBlocker quiet(box);
        const QString kept = box->currentText();
        box->clear();
        box->addItems(items);
        box->setCurrentIndex(std::max<int>(0, static_cast<int>(items.indexOf(kept))));
    };
    QStringList groups, conversions{"factor and zero"}, axes{"0, 1, 2 \u2026"};
    std::set<QString> roles;
    for (const auto& known : roles::known())
        roles.insert(qs(std::string(known.id)));
    for (const auto& group : d.groups)
        groups << qs(group.name);
    for (const auto& k : d.conversions)
        conversions << qs(k.name);
    for (const Parameter& p : d.parameters) {
        if (p.kind == Parameter::Kind::AxisPoints) axes << qs(p.name);
        if (!p.role.empty()) roles.insert(qs(p.role));
    }
    refill(groupEdit_, groups);
    refill(roleEdit_, QStringList{""} + QStringList(roles.begin(), roles.end()));
    refill(conversion_, conversions);
    refill(xAxis_, axes);
    refill(yAxis_, axes);
}

void DefinitionPanel::showParameter(const QString& name) {
    name_ = name;
    fillChoices();
    const auto ours = work_.definition();
    const Parameter* p = ours ? ours->parameter(name.toStdString()) : nullptr;
    if (!p) return;
    nameEdit_->setText(qs(p->name));
    labelEdit_->setText(qs(p->label));
    descriptionEdit_->setText(qs(p->description));
    descriptionEdit_->setCursorPosition(0);
    addressEdit_->setText(qs(hexAddress(p->address)));
    const auto* group = ours->groupOf(*p);
    groupEdit_->setCurrentText(group ? qs(group->name) : QString());
    roleEdit_->setCurrentText(qs(p->role));
    preview();
}

void DefinitionPanel::keep(const Result<std::string>& text, const QString& name, const QString& said) {
    if (!text) return work_.say(qs(text.error().text()), true);
    work_.changeDefinition(*text, [self = QPointer(this), name, said] {
        if (!self) return;
        self->work_.say(said);
        emit self->made(name);
        self->showParameter(name);
    });
}

void DefinitionPanel::keepEdits() {
    const auto ours = work_.definition();
    if (!ours || name_.isEmpty()) return;
    const auto address = parseUnsigned(addressEdit_->text().trimmed().toStdString());
    if (!address || *address > 0xFFFFFFFF) return work_.say(tr("The address is not a number of up to 32 bits."), true);
    definition::ObjectChanges changes;
    changes.description = descriptionEdit_->text().toStdString();
    changes.role = roleEdit_->currentText().trimmed().toStdString();
    changes.address = static_cast<uint32_t>(*address);
    changes.newName = nameEdit_->text().trimmed().toStdString();
    if (!labelEdit_->text().isEmpty()) changes.label = labelEdit_->text().toStdString();
    const QString group = groupEdit_->currentText().trimmed();
    if (!group.isEmpty()) changes.group = group.toStdString();
    int made = 0;
    const auto text = definition::withChanges(*ours, name_.toStdString(), changes, &made);
    if (text && made == 0) return work_.say(tr("Nothing was changed."));
    keep(text, qs(*changes.newName),
         tr("Kept the definition with %1 %2 of %3.")
             .arg(made)
             .arg(made == 1 ? "change" : "changes", qs(*changes.newName)));
}

definition::NewParameter DefinitionPanel::described() const {
    definition::NewParameter out;
    out.name = newName_->text().trimmed().toStdString();
    out.description = newDescription_->text().toStdString();
    static constexpr Parameter::Kind kinds[] = {Parameter::Kind::Value, Parameter::Kind::Curve, Parameter::Kind::Map,
                                                Parameter::Kind::Text};
    out.kind = kinds[std::clamp(kind_->currentIndex(), 0, 3)];
    out.address = static_cast<uint32_t>(parseUnsigned(newAddress_->text().trimmed().toStdString()).value_or(0));
    out.type = static_cast<definition::DataType>(std::max(0, type_->currentIndex()));
    out.byteOrder = order_->currentIndex() == 1 ? ByteOrder::LittleEndian : ByteOrder::BigEndian;
    if (conversion_->currentIndex() > 0) out.conversion = conversion_->currentText().toStdString();
    out.factor = parseNumber(factor_->text().replace(',', '.').trimmed().toStdString()).value_or(0);
    out.offset = parseNumber(offset_->text().replace(',', '.').trimmed().toStdString()).value_or(NAN);
    out.unit = unit_->text().toStdString();
    out.decimals = decimals_->value();
    out.x.points = static_cast<uint32_t>(columns_->value());
    out.y.points = static_cast<uint32_t>(rows_->value());
    if (xAxis_->currentIndex() > 0) out.x.shared = xAxis_->currentText().toStdString();
    if (yAxis_->currentIndex() > 0) out.y.shared = yAxis_->currentText().toStdString();
    return out;
}

void DefinitionPanel::preview() {
    const auto* calibration = work_.calibration();
    if (!calibration) return;
    const bool map = kind_->currentIndex() == 2, curve = kind_->currentIndex() == 1, text = kind_->currentIndex() == 3;
    columns_->setEnabled(text || ((map || curve) && xAxis_->currentIndex() <= 0));
    rows_->setEnabled(map && yAxis_->currentIndex() <= 0);
    xAxis_->setEnabled(map || curve);
    yAxis_->setEnabled(map);
    for (QWidget* w : std::initializer_list<QWidget*>{factor_, offset_, unit_, decimals_})
        w->setEnabled(conversion_->currentIndex() <= 0);
    definition::NewParameter wanted = described();
    // The cells are shown before it has a name.
    const bool named = !wanted.name.empty();
    if (!named) wanted.name = "unnamed_parameter";
    const auto small = definition::describe(wanted, calibration->definition());
    add_->setEnabled(named && small.has_value());
    GridContents contents;
    const auto problem = [&](const std::string& why) {
        newProblem_->setText(qs(why));
        newGrid_->setContents({});
        add_->setEnabled(false);
    };
    if (!small) return problem(small.error().message);
    const calibration::Calibration look(std::make_shared<const definition::Definition>(*small), calibration->image());
    const auto table = look.read(wanted.name);
    if (!table) return problem(table.error().text());
    newProblem_->setText(text ? "\"" + qs(table->text) + "\"" : QString());
    contents.rows = table->rows;
    contents.columns = table->columns;
    contents.x = table->x.values;
    contents.y = table->y.values;
    contents.values = table->values;
    contents.decimals = table->decimals;
    newGrid_->setContents(std::move(contents));
}

void DefinitionPanel::addDescribed() {
    const auto ours = work_.definition();
    if (!ours) return;
    const auto wanted = described();
    const auto small = definition::describe(wanted, *ours);
    if (!small) return work_.say(qs(small.error().text()), true);
    keep(definition::withAdded(*ours, *small, "added_by_hand"), qs(wanted.name),
         tr("Added %1 to the definition.").arg(qs(wanted.name)));
}

void DefinitionPanel::openOther(const QString& path) {
    if (!work_.files()) return;
    otherFile_->setText(path);
    otherFact_->setText(tr("Reading \u2026"));
    struct Read {
        Result<std::shared_ptr<const definition::Definition>> definition = fail(ErrorCode::NotFound, "");
        std::shared_ptr<definition::Finder> finder;
        size_t remarks = 0;
    };
    work_.background().latest(
        this,
        [&files = *work_.files(), path = path.toStdString()] {
            Read out;
            auto contents = job::readDefinition(files, path);
            if (!contents) {
                out.definition = tl::unexpected(contents.error());
                return out;
            }
            out.remarks = contents->diagnostics.size();
            out.definition = std::make_shared<const definition::Definition>(std::move(contents->definition));
            out.finder = std::make_shared<definition::Finder>(*out.definition);
            return out;
        },
        [this](const Read& read) {
            if (!read.definition) return otherFact_->setText(qs(read.definition.error().text()));
            other_ = *read.definition;
            otherFinder_ = read.finder;
            otherFact_->setText(QString("%1 parameters%2")
                                    .arg(other_->parameters.size())
                                    .arg(read.remarks ? tr(", %1 remarks on the file").arg(read.remarks) : QString()));
            findOther();
        },
        kOther);
}

void DefinitionPanel::findOther() {
    if (!other_) return;
    std::vector<uint32_t> rows;
    const std::string text = otherFind_->text().trimmed().toStdString();
    if (text.empty()) return otherModel_->showTree(other_, {}, {}, [](const Parameter&) { return true; });
    for (const auto& hit : otherFinder_->find(text, 500).hits)
        rows.push_back(hit.parameter);
    otherModel_->showList(other_, std::move(rows));
}

void DefinitionPanel::copyChosen() {
    const Parameter* p = otherModel_->parameter(otherView_->currentIndex());
    const auto ours = work_.definition();
    if (!p || !ours) return;
    const auto part = definition::extract(*other_, p->name);
    if (!part) return work_.say(qs(part.error().text()), true);
    keep(definition::withAdded(*ours, *part, "copied"), qs(p->name),
         tr("Copied %1 from %2.").arg(qs(p->title()), otherFile_->text().section('/', -1)));
}

}  // namespace brusk::app
