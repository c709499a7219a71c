// A key is made in place and a card is pasted: what is done often needs no dialog.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/deliver/KeyPanel.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QPainter>

#include "app/desks/DeliverDesk.h"
#include "core/deliver/QrCode.h"

namespace brusk::app {

namespace {

/// Black on white in both themes: a camera reads it.
QPixmap qrOf(const std::string& text) {
    constexpr int kModule_px = 3, kQuiet = 4;
    const auto code = deliver::qrCode(text);
    if (!code) return {};
    const int side = (code->side + 2 * kQuiet) * kModule_px;
    QPixmap out(side, side);
    out.fill(Qt::white);
    QPainter painter(&out);
    for (int y = 0; y < code->side; ++y)
        for (int x = 0; x < code->side; ++x)
            if (code->dark(x, y))
                painter.fillRect((x + kQuiet) * kModule_px, (y + kQuiet) * kModule_px, kModule_px, kModule_px,
                                 Qt::black);
    return out;
}

QString qs(const std::string& text) {
    return QString::fromStdString(text);
}

}  // namespace

KeyPanel::KeyPanel(DeliverDesk& desk) : Panel(tr("You, and whom you trust")), desk_(desk) {
    makeMaking();
    makeOwn();
    makeOthers();
    connect(&desk_, &DeliverDesk::changed, this, &KeyPanel::refresh);
    refresh();
}

void KeyPanel::makeMaking() {
    making_ = new QWidget;
    auto* rows = new QVBoxLayout(making_);
    rows->setContentsMargins(0, 0, 0, 0);
    makingText_ = label({}, "faint");
    makingText_->setWordWrap(true);
    rows->addWidget(makingText_);
    name_ = new QLineEdit;
    name_->setObjectName("keyName");
    name_->setPlaceholderText(tr("Your name, as others see it"));
    rows->addWidget(name_);
    auto* row = new QHBoxLayout;
    passphrase_ = new QLineEdit;
    passphrase_->setObjectName("passphrase");
    passphrase_->setEchoMode(QLineEdit::Password);
    make_ = new QPushButton;
    make_->setObjectName("makeKey");
    row->addWidget(passphrase_, 1);
    row->addWidget(make_);
    rows->addLayout(row);
    body()->addWidget(making_);
    const auto go = [this] {
        if (desk_.card())
            desk_.openKey(passphrase_->text());
        else
            desk_.makeKey(name_->text(), passphrase_->text());
        passphrase_->clear();
    };
    connect(make_, &QPushButton::clicked, this, go);
    connect(passphrase_, &QLineEdit::returnPressed, make_, &QPushButton::click);
    connect(name_, &QLineEdit::returnPressed, passphrase_, qOverload<>(&QWidget::setFocus));
}

void KeyPanel::makeOwn() {
    own_ = new QWidget;
    auto* rows = new QVBoxLayout(own_);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(4);
    who_ = label({});
    who_->setObjectName("whoAmI");
    digits_ = label({}, "numbers");
    digits_->setToolTip(tr("Your fingerprint: read it over the telephone to whoever trusts your card"));
    rows->addWidget(who_);
    rows->addWidget(digits_);
    auto* row = new QHBoxLayout;
    auto* copy = new QPushButton(tr("Copy my card"));
    copy->setObjectName("copyCard");
    copy->setToolTip(tr("A short text to mail: who has it can seal something for you"));
    showQr_ = new QPushButton(tr("Show as QR code"));
    showQr_->setObjectName("showQr");
    showQr_->setCheckable(true);
    row->addWidget(copy);
    row->addWidget(showQr_);
    auto* backUp = new QPushButton(tr("Back up my key \u2026"));
    backUp->setObjectName("backUpKey");
    backUp->setToolTip(tr("A copy of the key file: with it and its passphrase, whoever has it is you"));
    row->addWidget(backUp);
    row->addStretch();
    connect(backUp, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getSaveFileName(this, tr("A copy of your key"), "brusk-key");
        if (!path.isEmpty()) desk_.backUpKey(path.toStdString());
    });
    rows->addLayout(row);
    qr_ = new QLabel;
    qr_->setObjectName("qr");
    qr_->setAccessibleName(tr("Your card as a QR code"));
    qr_->hide();
    rows->addWidget(qr_);
    body()->addWidget(own_);
    connect(copy, &QPushButton::clicked, this, [this] {
        if (desk_.card()) QApplication::clipboard()->setText(qs(desk_.card()->text()));
    });
    connect(showQr_, &QPushButton::toggled, this, [this](bool on) {
        if (on && desk_.card()) qr_->setPixmap(qrOf(desk_.card()->text()));
        qr_->setVisible(on);
    });
}

void KeyPanel::makeOthers() {
    changed_ = new QWidget;
    auto* rows = new QVBoxLayout(changed_);
    rows->setContentsMargins(0, 4, 0, 4);
    changedText_ = label({}, "alarm");
    changedText_->setObjectName("changedCard");
    changedText_->setWordWrap(true);
    auto* instead = new QPushButton(tr("I asked: it is a new key"));
    instead->setObjectName("trustInstead");
    rows->addWidget(changedText_);
    rows->addWidget(instead, 0, Qt::AlignLeft);
    body()->addWidget(changed_);
    others_ = new QVBoxLayout;
    others_->setSpacing(2);
    body()->addLayout(others_);
    auto* paste = new QPushButton(tr("Paste a card"));
    paste->setObjectName("pasteCard");
    paste->setToolTip(tr("Trust the card that is in the clipboard; a card file can be dropped here too"));
    body()->addWidget(paste, 0, Qt::AlignLeft);
    connect(paste, &QPushButton::clicked, this, [this] { desk_.trust(QApplication::clipboard()->text(), false); });
    connect(instead, &QPushButton::clicked, this, [this] {
        if (desk_.changedCard()) desk_.trust(qs(desk_.changedCard()->text()), true);
    });
}

void KeyPanel::refresh() {
    const auto& card = desk_.card();
    const bool open = desk_.keyIsOpen();
    making_->setVisible(!open);
    own_->setVisible(card.has_value());
    name_->setVisible(!card);
    makingText_->setText(card ? tr("Your key asks for its passphrase.")
                              : tr("To seal for others, and to open what is sealed to you, you need a key. It stays in "
                                   "this machine; without a passphrase, whoever sits here is you."));
    passphrase_->setPlaceholderText(card ? tr("passphrase") : tr("passphrase, if you want one"));
    passphrase_->setAccessibleName(tr("Passphrase of your key"));
    make_->setText(card ? tr("Open my key") : tr("Make my key"));
    if (card) {
        who_->setText(qs(card->name));
        digits_->setText(qs(card->fingerprint()));
    }
    changed_->setVisible(desk_.changedCard().has_value());
    if (const auto& other = desk_.changedCard())
        changedText_->setText(tr("%1 is known here with another key. This card has %2. Ask %1 by telephone before you "
                                 "take it.")
                                  .arg(qs(other->name), qs(other->fingerprint())));
    emptyLayout(others_);
    if (desk_.cards().empty()) others_->addWidget(label(tr("No card is trusted yet."), "faint"));
    for (const auto& other : desk_.cards()) {
        auto* name = label(qs(other.name));
        name->setObjectName("trusted");
        auto* digits = label(qs(other.fingerprint()), "numbers");
        others_->addWidget(name);
        others_->addWidget(digits);
    }
}

}  // namespace brusk::app
