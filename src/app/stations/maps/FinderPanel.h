// The finder column of the Maps station: find as you type, filters, pinned and recent, the tree, and what to do to
// several at a time.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>
#include <QTreeView>
#include <set>

#include "app/stations/maps/FinderModel.h"
#include "app/stations/maps/MapsWork.h"
#include "core/definition/Finder.h"

namespace brusk::app {

class FinderPanel : public QFrame {
    Q_OBJECT
  public:
    explicit FinderPanel(MapsWork& work, QWidget* parent = nullptr);

    /// Looks for a text as if it had been typed.
    void lookFor(const QString& text);
    void noteOpened(const QString& parameter);
    bool isPinned(const QString& parameter) const { return pinned_.contains(parameter); }
    void setPinned(const QString& parameter, bool pinned);
    void focusFinder();
    /// Names of the rows that are selected.
    QStringList chosen() const;
    void refresh();

  signals:
    void opened(const QString& parameter, bool beside);
    void chosenChanged();

  private:
    void makeFilterMenu();
    void makeFinder();
    bool passes(const definition::Parameter& parameter) const;
    void showDifferences();
    void openIndex(const QModelIndex& index, bool beside);
    void refreshFilterText();
    void keep() const;
    std::vector<uint32_t> indicesOf(const QStringList& names) const;
    bool eventFilter(QObject* object, QEvent* event) override;

    MapsWork& work_;
    QLineEdit* text_;
    QToolButton* filter_;
    QLabel* count_;
    QTreeView* view_;
    FinderModel* model_;
    std::shared_ptr<const definition::Definition> definition_;
    std::shared_ptr<const definition::Finder> finder_;
    QStringList pinned_, recent_;
    std::set<definition::Parameter::Kind> kinds_;  // empty: all but axes
    QAction *differs_, *edited_, *evident_;
};

}  // namespace brusk::app
