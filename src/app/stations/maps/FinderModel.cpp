// Groups as a tree, or hits as a list; rows are indices into the definition.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/maps/FinderModel.h"

#include <QFont>
#include <unordered_map>

#include "app/theme/Theme.h"

namespace brusk::app {

using definition::Parameter;

namespace {

constexpr int kDeepest = 16;

QString shapeOf(const Parameter& p) {
    if (p.kind == Parameter::Kind::Map) return QString("%1 \u00d7 %2").arg(p.axes[0].points).arg(p.axes[1].points);
    if (p.kind == Parameter::Kind::Curve) return QString::number(p.axes[0].points);
    return QString::fromUtf8(definition::kindName(p.kind).data());
}

}  // namespace

FinderModel::Node* FinderModel::add(Node& parent, const QString& title) {
    auto node = std::make_unique<Node>();
    node->title = title;
    node->parent = &parent;
    node->row = static_cast<int>(parent.nodes.size());
    parent.nodes.push_back(std::move(node));
    return parent.nodes.back().get();
}

/// Whether anything is in it.
bool FinderModel::fillGroup(Node& node, const definition::Group& group, const Wanted& wanted, int depth) {
    for (const std::string& name : group.subgroups) {
        if (depth >= kDeepest) break;
        const definition::Group* child = definition_->group(name);
        if (!child || child == &group) continue;
        Node* inner = add(node, QString::fromStdString(child->description.empty() ? child->name : child->description));
        if (!fillGroup(*inner, *child, wanted, depth + 1)) node.nodes.pop_back();
    }
    for (const std::string& name : group.parameters)
        if (const Parameter* p = definition_->parameter(name); p && wanted(*p)) {
            node.parameters.push_back(static_cast<uint32_t>(p - definition_->parameters.data()));
            ++count_;
        }
    return !node.parameters.empty() || !node.nodes.empty();
}

void FinderModel::showTree(Definition definition, const std::vector<uint32_t>& pinned,
                           const std::vector<uint32_t>& recent, const Wanted& wanted) {
    beginResetModel();
    definition_ = std::move(definition);
    root_.nodes.clear();
    root_.parameters.clear();
    root_.beside.clear();
    count_ = 0;
    for (const auto& [title, list] : {std::pair{"Pinned", &pinned}, {"Recent", &recent}}) {
        std::vector<uint32_t> shown;
        for (const uint32_t i : *list)
            if (i < definition_->parameters.size() && wanted(definition_->parameters[i])) shown.push_back(i);
        if (!shown.empty()) add(root_, title)->parameters = shown;
    }
    for (const auto& group : definition_->groups) {
        if (definition_->parentOf(group)) continue;
        Node* node = add(root_, QString::fromStdString(group.description.empty() ? group.name : group.description));
        if (!fillGroup(*node, group, wanted, 0)) root_.nodes.pop_back();
    }
    Node loose;
    for (uint32_t i = 0; i < definition_->parameters.size(); ++i)
        if (!definition_->groupOf(definition_->parameters[i]) && wanted(definition_->parameters[i]))
            loose.parameters.push_back(i);
    if (!loose.parameters.empty()) {
        Node* node = add(root_, root_.nodes.empty() ? "All" : "In no group");
        node->parameters = std::move(loose.parameters);
        count_ += node->parameters.size();
    }
    Node* functions = add(root_, "Functions of the program");
    for (const auto& function : definition_->functions) {
        Node* node = add(*functions,
                         QString::fromStdString(function.description.empty() ? function.name : function.description));
        for (const std::string& name : function.parameters)
            if (const Parameter* p = definition_->parameter(name); p && wanted(*p))
                node->parameters.push_back(static_cast<uint32_t>(p - definition_->parameters.data()));
        if (node->parameters.empty()) functions->nodes.pop_back();
    }
    if (functions->nodes.empty()) root_.nodes.pop_back();
    endResetModel();
}

void FinderModel::showList(Definition definition, std::vector<uint32_t> parameters, std::vector<QString> beside) {
    beginResetModel();
    definition_ = std::move(definition);
    root_.nodes.clear();
    root_.parameters = std::move(parameters);
    root_.beside = std::move(beside);
    count_ = root_.parameters.size();
    endResetModel();
}

FinderModel::Node* FinderModel::nodeOf(const QModelIndex& index) const {
    if (!index.isValid()) return const_cast<Node*>(&root_);
    auto* owner = static_cast<Node*>(index.internalPointer());
    const auto row = static_cast<size_t>(index.row());
    return row < owner->nodes.size() ? owner->nodes[row].get() : nullptr;
}

QModelIndex FinderModel::index(int row, int column, const QModelIndex& parent) const {
    Node* node = nodeOf(parent);
    if (!node || row < 0 || row >= rowCount(parent) || column < 0 || column > 1) return {};
    return createIndex(row, column, node);
}

QModelIndex FinderModel::parent(const QModelIndex& index) const {
    if (!index.isValid()) return {};
    auto* owner = static_cast<Node*>(index.internalPointer());
    return owner == &root_ ? QModelIndex() : createIndex(owner->row, 0, owner->parent);
}

int FinderModel::rowCount(const QModelIndex& parent) const {
    const Node* node = parent.column() > 0 ? nullptr : nodeOf(parent);
    return node ? static_cast<int>(node->nodes.size() + node->parameters.size()) : 0;
}

const Parameter* FinderModel::parameter(const QModelIndex& index) const {
    if (!index.isValid() || nodeOf(index)) return nullptr;
    const auto* owner = static_cast<const Node*>(index.internalPointer());
    return &definition_->parameters[owner->parameters[static_cast<size_t>(index.row()) - owner->nodes.size()]];
}

QVariant FinderModel::data(const QModelIndex& index, int role) const {
    if (!index.isValid()) return {};
    if (const Node* node = nodeOf(index)) {
        if (role == Qt::DisplayRole && index.column() == 0) return node->title;
        if (role == Qt::FontRole) return Theme::instance().text(12, true);
        return {};
    }
    const Parameter* p = parameter(index);
    const auto* owner = static_cast<const Node*>(index.internalPointer());
    const size_t i = static_cast<size_t>(index.row()) - owner->nodes.size();
    switch (role) {
        case Qt::DisplayRole:
            if (index.column() == 0) return QString::fromStdString(p->title());
            return i < owner->beside.size() ? owner->beside[i] : shapeOf(*p);
        case Qt::ToolTipRole:
            return QString::fromStdString(p->name + "\n" + p->description);
        case Qt::TextAlignmentRole:
            return index.column() == 1 ? QVariant(Qt::AlignRight | Qt::AlignVCenter) : QVariant();
        case Qt::ForegroundRole:
            return index.column() == 1 ? QVariant(tokens().faint) : QVariant();
        case Qt::UserRole:
            return QString::fromStdString(p->name);
        default:
            return {};
    }
}

Qt::ItemFlags FinderModel::flags(const QModelIndex& index) const {
    if (!index.isValid()) return Qt::NoItemFlags;
    return nodeOf(index) ? Qt::ItemIsEnabled : Qt::ItemIsEnabled | Qt::ItemIsSelectable;
}

QModelIndex FinderModel::search(const Node& node, const std::function<bool(uint32_t)>& hit) const {
    for (const auto& inner : node.nodes)
        if (const QModelIndex found = search(*inner, hit); found.isValid()) return found;
    for (size_t i = 0; i < node.parameters.size(); ++i)
        if (hit(node.parameters[i]))
            return createIndex(static_cast<int>(node.nodes.size() + i), 0, const_cast<Node*>(&node));
    return {};
}

QModelIndex FinderModel::firstParameter() const {
    return search(root_, [](uint32_t) { return true; });
}

QModelIndex FinderModel::indexOf(const QString& name) const {
    const Parameter* p = definition_ ? definition_->parameter(name.toStdString()) : nullptr;
    if (!p) return {};
    const auto wanted = static_cast<uint32_t>(p - definition_->parameters.data());
    return search(root_, [wanted](uint32_t i) { return i == wanted; });
}

}  // namespace brusk::app
