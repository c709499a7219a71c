// Small building blocks that every station uses: panels, headings, facts in two columns, the row at a station's top.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QFormLayout>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace brusk::app {

QLabel* label(const QString& text, const char* role = nullptr);
/// Gives a label another role ("faint", "warm", "alarm", "good") and restyles it.
void setRole(QLabel* label, const char* role);

/// One line that ends in an ellipsis where it has no room, and then tells all of itself as its tooltip.
class ElidedLabel : public QLabel {
    Q_OBJECT
  public:
    explicit ElidedLabel(const char* role, QWidget* parent = nullptr);
    QSize minimumSizeHint() const override { return {24, QLabel::minimumSizeHint().height()}; }

  protected:
    void paintEvent(QPaintEvent*) override;
};

/// A framed box with a heading; add to `body`.
class Panel : public QFrame {
    Q_OBJECT
  public:
    explicit Panel(const QString& heading, QWidget* parent = nullptr);
    QVBoxLayout* body() { return body_; }
    QHBoxLayout* headRow() { return head_; }

  private:
    QVBoxLayout* body_;
    QHBoxLayout* head_;
};

/// "Name   value" rows; a row is made the first time its key is set.
class Facts : public QWidget {
    Q_OBJECT
  public:
    explicit Facts(QWidget* parent = nullptr);
    void set(const QString& key, const QString& value, const char* role = "numbers");
    void clear();

  private:
    QFormLayout* form_;
    QList<QPair<QString, QLabel*>> rows_;
};

/// Base of all stations: a title row with one filled button at its right, and content below.
class Station : public QWidget {
    Q_OBJECT
  public:
    Station(const QString& title, QWidget* parent = nullptr);
    QLabel* title() { return title_; }
    QLabel* subtitle() { return subtitle_; }
    QPushButton* primary() { return primary_; }
    QHBoxLayout* titleRow() { return row_; }
    QVBoxLayout* body() { return body_; }
    /// What the footer says while this station is shown.
    virtual QString hint() const { return {}; }
    /// Called when the station comes to the front.
    virtual void shown() {}

  private:
    QVBoxLayout* body_;
    QHBoxLayout* row_;
    QLabel* title_;
    QLabel* subtitle_;
    QPushButton* primary_;
};

/// Removes and deletes everything a layout holds.
void emptyLayout(QLayout* layout);

}  // namespace brusk::app
