// The parameters of a definition as a tree of groups and functions, or as a list of what was found.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QAbstractItemModel>
#include <functional>
#include <memory>
#include <vector>

#include "core/definition/Definition.h"

namespace brusk::app {

class FinderModel : public QAbstractItemModel {
    Q_OBJECT
  public:
    using QAbstractItemModel::QAbstractItemModel;
    using Definition = std::shared_ptr<const definition::Definition>;
    using Wanted = std::function<bool(const definition::Parameter&)>;

    /// Pinned and recent first, then groups, then functions; only parameters that `wanted` lets through.
    void showTree(Definition definition, const std::vector<uint32_t>& pinned, const std::vector<uint32_t>& recent,
                  const Wanted& wanted);
    /// A plain list; `beside` is shown at the right of each, the shape where it is empty.
    void showList(Definition definition, std::vector<uint32_t> parameters, std::vector<QString> beside = {});

    /// The parameter of a row; null for a group.
    const definition::Parameter* parameter(const QModelIndex& index) const;
    QModelIndex firstParameter() const;
    QModelIndex indexOf(const QString& name) const;
    size_t parameters() const { return count_; }

    QModelIndex index(int row, int column, const QModelIndex& parent = {}) const override;
    QModelIndex parent(const QModelIndex& index) const override;
    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& = {}) const override { return 2; }
    QVariant data(const QModelIndex& index, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;

  private:
    struct Node {
        QString title;
        Node* parent = nullptr;
        int row = 0;
        std::vector<std::unique_ptr<Node>> nodes;  ///< stand before the parameters
        std::vector<uint32_t> parameters;
        std::vector<QString> beside;
    };
    Node* nodeOf(const QModelIndex& index) const;
    Node* add(Node& parent, const QString& title);
    bool fillGroup(Node& node, const definition::Group& group, const Wanted& wanted, int depth);
    QModelIndex search(const Node& node, const std::function<bool(uint32_t)>& hit) const;

    Definition definition_;
    Node root_;
    size_t count_ = 0;
};

}  // namespace brusk::app
