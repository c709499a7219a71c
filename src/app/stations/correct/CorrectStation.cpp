// One large grid with four layers, each also a thumbnail; evidence and settings at the side.
// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stations/correct/CorrectStation.h"

#include <QKeyEvent>
#include <QPainter>
#include <QScrollArea>
#include <algorithm>
#include <cmath>

#include "app/theme/Theme.h"
#include "app/widgets/Times.h"

namespace brusk::app {

namespace {
constexpr int kBins = 81;
constexpr double kWideSpread = 0.05;  // of the ratio: a cell says nothing any more
constexpr double kBinRange = 0.30;    // -30 % to +30 %

QString percent(double share, int decimals = 1) {
    return QString::number(share * 100, 'f', decimals) + " %";
}

QString counted(size_t n, const char* one, const char* many) {
    return QString("%1 %2").arg(n).arg(n == 1 ? one : many);
}
}  // namespace

Distribution::Distribution(QWidget* parent) : QWidget(parent), now_(kBins), after_(kBins) {
    setFixedHeight(54);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void Distribution::setErrors(const std::vector<float>& now, const std::vector<float>& after) {
    const auto count = [](const std::vector<float>& errors) {
        std::vector<int> bins(kBins);
        for (const float e : errors)
            ++bins[static_cast<size_t>(std::clamp(static_cast<int>((e / kBinRange + 1) / 2 * kBins), 0, kBins - 1))];
        return bins;
    };
    now_ = count(now);
    after_ = count(after);
    most_ = std::max(1, *std::max_element(now_.begin(), now_.end()));
    update();
}

void Distribution::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const double wide = static_cast<double>(width()) / kBins;
    const double base = height() - 14;
    for (const auto& [bins, colour] : {std::pair{&now_, tokens().line}, {&after_, tokens().accent}})
        for (int i = 0; i < kBins; ++i) {
            const double high = std::min(base, base * (*bins)[static_cast<size_t>(i)] / most_);
            painter.fillRect(QRectF(i * wide, base - high, wide - 0.7, high), colour);
        }
    painter.setFont(Theme::instance().numbers(10));
    painter.setPen(tokens().faint);
    painter.drawText(QRectF(0, base, 40, 14), Qt::AlignLeft | Qt::AlignVCenter, "-30 %");
    painter.drawText(QRectF(width() / 2.0 - 20, base, 40, 14), Qt::AlignCenter, "0");
    painter.drawText(QRectF(width() - 40, base, 40, 14), Qt::AlignRight | Qt::AlignVCenter, "+30 %");
}

CorrectStation::CorrectStation(Desks& desks, QWidget* parent) : Station("Air", parent), presenter_(desks) {
    primary()->setObjectName("makeRound");
    body()->setContentsMargins(0, 0, 0, 0);
    body()->setSpacing(0);
    titleRow()->setContentsMargins(16, 12, 16, 4);
    auto* row = new QHBoxLayout;
    row->setSpacing(0);
    content_ = new QWidget;
    auto* column = new QVBoxLayout(content_);
    column->setContentsMargins(16, 6, 16, 10);
    column->setSpacing(11);
    makeThumbs();
    auto* thumbRow = new QHBoxLayout;
    for (QFrame* thumb : thumbs_)
        thumbRow->addWidget(thumb);
    column->addLayout(thumbRow);
    grid_ = new MapGrid;
    grid_->setObjectName("correctionGrid");
    column->addWidget(grid_, 1);
    cell_ = label({}, "faint");
    column->addWidget(cell_);
    auto* foot = new QHBoxLayout;
    now_ = label({}, "numbers");
    now_->setObjectName("errorNow");
    after_ = label({}, "good");
    after_->setObjectName("errorAfter");
    distribution_ = new Distribution;
    foot->addWidget(label(tr("fuel error now"), "faint"));
    foot->addWidget(now_);
    foot->addWidget(distribution_, 1);
    foot->addWidget(label(tr("expected after"), "faint"));
    foot->addWidget(after_);
    column->addLayout(foot);
    row->addWidget(content_, 1);
    empty_ = label({}, "faint");
    empty_->setWordWrap(true);
    empty_->setContentsMargins(16, 10, 16, 0);
    empty_->setAlignment(Qt::AlignTop);
    row->addWidget(empty_, 1);
    makeSide(row);
    body()->addLayout(row, 1);

    connect(primary(), &QPushButton::clicked, &presenter_, &CorrectPresenter::makeRound);
    connect(grid_, &MapGrid::selectionMoved, this, &CorrectStation::refreshCell);
    connect(&presenter_, &CorrectPresenter::changed, this, &CorrectStation::refresh);
    connect(&presenter_, &CorrectPresenter::unitsChanged, this, &CorrectStation::refresh);
    connect(&presenter_, &CorrectPresenter::roundShown, this, [this] {
        if (isVisible()) presenter_.look();
    });
    settle();
    refresh();
}

void CorrectStation::makeThumbs() {
    static const char* const names[] = {"Off by", "How sure", "Change", "Result"};
    static const char* const what[] = {"lean + rich \u2212, %", "\u00b1 of each cell, %", "of the map, %",
                                       "the VE map then, %"};
    for (int i = 0; i < kLayers; ++i) {
        auto* frame = new Panel("");
        frame->setObjectName(QString("layer%1").arg(i));
        emptyLayout(frame->headRow());
        auto* button = new QPushButton(QString("%1  %2").arg(i + 1).arg(names[i]));
        button->setObjectName(QString("layerButton%1").arg(i));
        button->setFlat(true);
        button->setStyleSheet("text-align: left; border: 0; background: transparent; font-weight: 600; padding: 0;");
        frame->body()->setSpacing(3);
        frame->body()->addWidget(button);
        frame->body()->addWidget(label(what[i], "faint"));
        small_[i] = new MapGrid;
        small_[i]->setCompact(true);
        small_[i]->setFixedHeight(54);
        frame->body()->addWidget(small_[i]);
        thumbs_[i] = frame;
        connect(button, &QPushButton::clicked, this, [this, i] { show(static_cast<Layer>(i)); });
    }
}

void CorrectStation::makeSide(QHBoxLayout* row) {
    // What it holds may be more than a small window shows.
    auto* scroll = new QScrollArea;
    scroll->setObjectName("correctSide");
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFixedWidth(268);
    auto* side = new QFrame;
    auto* column = new QVBoxLayout(side);
    column->setContentsMargins(14, 6, 16, 10);
    column->setSpacing(8);
    const auto heading = [&](const QString& text) { column->addWidget(label(text, "heading")); };
    warningBox_ = new QFrame;
    warningBox_->setProperty("note", true);
    auto* box = new QVBoxLayout(warningBox_);
    box->setContentsMargins(11, 8, 8, 8);
    warning_ = label({});
    warning_->setWordWrap(true);
    box->addWidget(warning_);
    column->addWidget(warningBox_);
    heading(tr("Strength"));
    strength_ = new QSlider(Qt::Horizontal);
    strength_->setObjectName("strength");
    strength_->setAccessibleName(tr("Strength"));
    strength_->setRange(10, 100);
    strength_->setValue(100);
    column->addWidget(strength_);
    strengthText_ = label({}, "faint");
    column->addWidget(strengthText_);
    heading(tr("Largest doubt"));
    doubt_ = new QSlider(Qt::Horizontal);
    doubt_->setObjectName("largestDoubt");
    doubt_->setAccessibleName(tr("Largest doubt"));
    doubt_->setToolTip(tr("A cell that is less sure than this stays as it is"));
    doubt_->setRange(5, 100);
    doubt_->setValue(50);
    column->addWidget(doubt_);
    doubtText_ = label({}, "faint");
    column->addWidget(doubtText_);
    heading(tr("Evidence"));
    recordings_ = new Facts;
    column->addWidget(recordings_);
    heading(tr("Samples"));
    samples_ = new Facts;
    column->addWidget(samples_);
    heading(tr("Wideband answers after"));
    delay_ = new Facts;
    column->addWidget(delay_);
    heading(tr("Recorded against looked up"));
    axes_ = label({}, "faint");
    axes_->setObjectName("axisCheck");
    axes_->setWordWrap(true);
    column->addWidget(axes_);
    heading(tr("Why"));
    auto* why = label(tr("True air over estimated air = measured lambda / asked lambda \u00d7 trims, the wideband read "
                         "one delay later. "
                         "Each sample informs the four cells around it, as the controller reads them."),
                      "faint");
    why->setWordWrap(true);
    column->addWidget(why);
    column->addStretch();
    scroll->setWidget(side);
    row->addWidget(scroll);
    connect(strength_, &QSlider::valueChanged, this, &CorrectStation::settle);
    connect(doubt_, &QSlider::valueChanged, this, &CorrectStation::settle);
}

proposals::AirCorrectionOptions CorrectStation::options() const {
    proposals::AirCorrectionOptions o;
    o.strength = strength_->value() / 100.0;
    o.largestDoubt = doubt_->value() / 1000.0;
    return o;
}

void CorrectStation::settle() {
    strengthText_->setText(QString("%1 %").arg(strength_->value()));
    doubtText_->setText(QString("\u00b1 %1 %").arg(doubt_->value() / 10.0, 0, 'f', 1));
    presenter_.setOptions(options());
}

void CorrectStation::refresh() {
    const QString round = presenter_.roundText();
    subtitle()->setText(round.isEmpty() ? round : tr("VE map \u00b7 from the drives on ") + round);
    if (presenter_.correction()) {
        for (int i = 0; i < kLayers; ++i)
            small_[i]->setContents(contentsOf(static_cast<Layer>(i)));
        show(layer_);
    }
    refreshSide();
}

GridContents CorrectStation::contentsOf(Layer layer) const {
    const auto& c = *presenter_.correction();
    GridContents out;
    out.rows = c.table.rows;
    out.columns = c.table.columns;
    out.setAxes(ShownAxis(c.table.x, presenter_.units()), ShownAxis(c.table.y, presenter_.units()));
    out.decimals = 1;
    const size_t count = c.table.values.size();
    out.values.resize(count);
    out.blank.assign(count, 0);
    for (size_t i = 0; i < count; ++i) {
        switch (layer) {
            case kOffBy:
                out.values[i] = (c.cells[i].mean - 1) * 100;
                out.blank[i] = c.cells[i].count < proposals::kVisited;
                break;
            case kHowSure:
                out.values[i] = c.fit.doubt[i] * 100;
                out.blank[i] = c.fit.evidence[i] < 1;
                break;
            case kChange:
                out.values[i] = c.change[i] * 100;
                out.blank[i] = c.change[i] == 0;
                break;
            default:
                out.values[i] = c.result[i];
        }
    }
    out.showSign = layer == kOffBy || layer == kChange;
    out.shade = out.showSign ? GridContents::Shade::Difference : GridContents::Shade::Value;
    if (layer != kHowSure) {
        for (size_t i = 0; i < count; ++i)
            out.setDot(i, c.fit.evidence[i], c.cells[i].spread, kWideSpread);
    }
    if (layer == kResult) {
        out.edited.resize(count);
        for (size_t i = 0; i < count; ++i)
            out.edited[i] = c.change[i] != 0;
    }
    return out;
}

void CorrectStation::show(Layer layer) {
    layer_ = layer;
    for (int i = 0; i < kLayers; ++i)
        thumbs_[i]->setStyleSheet(
            i == layer ? tr("QFrame#layer%1 { border: 2px solid %2; }").arg(i).arg(tokens().accent.name()) : QString());
    if (!presenter_.correction()) return;
    grid_->setContents(contentsOf(layer));
    refreshCell();
}

void CorrectStation::refreshCell() {
    if (!presenter_.correction()) return cell_->clear();
    const auto& c = *presenter_.correction();
    const size_t i = std::min(grid_->currentCell(), c.table.values.size() - 1);
    static const char* const states[] = {"stays as it is", "changed from its own evidence", "changed, not sure yet",
                                         "follows its neighbours", "held at the largest step"};
    const ShownAxis x(c.table.x, presenter_.units()), y(c.table.y, presenter_.units());
    cell_->setText(tr("%1, %2: %3 in %4, off by %5 \u00b1 %6; %7 \u2192 %8 %, %9")
                       .arg(x.text(i % c.table.columns), y.text(i / c.table.columns))
                       .arg(counted(c.cells[i].count, "sample", "samples"), counted(c.fit.visits[i], "visit", "visits"))
                       .arg(c.cells[i].count ? percent(c.cells[i].mean - 1) : QString("-"))
                       .arg(percent(c.fit.doubt[i]))
                       .arg(c.table.values[i], 0, 'f', 2)
                       .arg(c.result[i], 0, 'f', 2)
                       .arg(states[static_cast<int>(c.state[i])]));
}

void CorrectStation::refreshSide() {
    const auto drives = presenter_.drives();
    const auto entries = presenter_.recordings();
    axes_->setText(QString::fromStdString(presenter_.axes()));
    recordings_->clear();
    samples_->clear();
    delay_->clear();
    for (const auto& entry : entries)
        recordings_->set(QString::fromStdString(entry.title) + ", " + timeOfDay(entry.startedAt),
                         QString("%1 min").arg(entry.duration_s / 60, 0, 'f', 1));
    if (drives && drives->mixture()) {
        const auto& cost = drives->mixture()->leftOut;
        samples_->set("recorded", QString::number(cost.recorded));
        samples_->set("settled", QString::number(cost.kept));
        for (const auto& rule : cost.costs)
            if (rule.samples)
                samples_->set(QString::fromStdString(std::string(rule.title)),
                              "\u2212" + QString::number(rule.samples));
        const auto& d = drives->mixture()->delay;
        const auto shown = [&](double flow_kgh, double rpm) {
            return QString("%1 \u00b1 %2 ms")
                .arg(d.transport_s(flow_kgh, rpm, std::nan("")) * 1000, 0, 'f', 0)
                .arg(d.doubt_s(flow_kgh, rpm, std::nan("")) * 1000, 0, 'f', 0);
        };
        delay_->set(tr("at idle"), shown(12, 850));
        delay_->set(tr("at full load"), shown(250, 4500));
        delay_->set(tr("sensor's lag"), QString("%1 ms").arg(d.lag_s * 1000, 0, 'f', 0));
        using From = evidence::WidebandDelay::From;
        delay_->set("from",
                    d.from == From::Measured   ? QString("%1 steps").arg(d.events)
                    : d.from == From::Borrowed ? tr("earlier drive")
                                               : QString("default"),
                    "");
    }
    const bool ready = presenter_.correction() != nullptr;
    warningBox_->setVisible(false);
    content_->setVisible(ready);
    empty_->setVisible(!ready);
    empty_->setText(presenter_.waitsFor());
    primary()->setEnabled(ready && presenter_.correction()->changed > 0);
    const int next = presenter_.nextNumber();
    primary()->setText(ready ? tr("Make round %1 with %2 cells").arg(next).arg(presenter_.correction()->changed)
                             : tr("Make round %1").arg(next));
    if (!ready) return;
    const auto& c = *presenter_.correction();
    now_->setText(percent(c.now.rms));
    after_->setText(percent(c.expected));
    distribution_->setErrors(c.errorNow, c.errorExpected);
    strengthText_->setText(tr("%1 %, largest step %2").arg(strength_->value()).arg(percent(c.largestStep)));
    QStringList text;
    for (const std::string& warning : presenter_.warnings())
        text << QString::fromStdString(warning);
    if (c.unsure) text << tr("Of %1 cells not enough is known yet to be sure.").arg(c.unsure);
    if (c.extended) text << tr("%1 cells nobody drove in follow their neighbours.").arg(c.extended);
    if (c.clamped) text << tr("%1 cells are held at a limit or the largest step.").arg(c.clamped);
    warning_->setText(text.join(' '));
    warningBox_->setVisible(!text.isEmpty());
}

void CorrectStation::keyPressEvent(QKeyEvent* event) {
    if (event->key() >= Qt::Key_1 && event->key() <= Qt::Key_4)
        return show(static_cast<Layer>(event->key() - Qt::Key_1));
    Station::keyPressEvent(event);
}

}  // namespace brusk::app
