// Colours, type and the style sheet: the tokens of the design, light and dark.
// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QColor>
#include <QFont>
#include <QObject>

namespace brusk::app {

struct Tokens {
    QColor ground, sheet, line, ink, faint, accent, here, warm, alarm, violet;
    bool dark = false;
    /// `over` laid on `under` with a share of 0 to 1.
    static QColor mix(const QColor& under, const QColor& over, double share);
};

class Theme : public QObject {
    Q_OBJECT
  public:
    static Theme& instance();
    const Tokens& tokens() const { return tokens_; }
    void setDark(bool dark);
    void loadFonts();
    QFont text(int pixels = 13, bool bold = false) const;
    QFont numbers(int pixels = 13) const;
    /// One of eight trace colours, of equal lightness, told apart by colour-blind eyes.
    QColor trace(int index) const;

  signals:
    void changed();

  private:
    Theme() = default;
    Tokens tokens_;
};

inline const Tokens& tokens() {
    return Theme::instance().tokens();
}

}  // namespace brusk::app
