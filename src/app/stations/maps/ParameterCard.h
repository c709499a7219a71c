// The card of the open parameter and cell: what it is, how it is stored, who reads it, what lies on the same bytes, and
// its value in every reference. Names on it can be followed.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFrame>
#include <QPointer>
#include <QTextBrowser>

#include "app/stations/maps/ParameterPane.h"

namespace brusk::app {

class ParameterCard : public QFrame {
    Q_OBJECT
  public:
    explicit ParameterCard(MapsWork& work, QWidget* parent = nullptr);
    /// The parameter and selection of a pane; null clears the card.
    void show(ParameterPane* pane);
    /// The name that stands at a point of the screen; empty when it is not on the card.
    QString nameAt(QPoint global) const;
    QString text(const QString& key) const;

  signals:
    void nameFollowed(const QString& parameter);
    void searched(const QString& text);
    void definitionAsked();

  private:
    void fact(const QString& key, const QString& value, bool numbers = true);
    void paragraph(const QString& html);
    void heading(const QString& text);
    void link(const QString& text, const QString& target, bool parameter);
    void cellFacts(ParameterPane& pane);
    void storedFacts(ParameterPane& pane, size_t cell);
    void evidenceFacts(ParameterPane& pane, size_t cell);
    void referenceFacts(ParameterPane& pane, size_t cell);
    void neighbours(const definition::Parameter& p);

    MapsWork& work_;
    QTextBrowser* browser_;  ///< one text for all: a card of widgets takes longer than a frame to lay out
    QPointer<ParameterPane> pane_;
    QString html_;
    bool inTable_ = false;
    QList<QPair<QString, QString>> facts_;
};

}  // namespace brusk::app
