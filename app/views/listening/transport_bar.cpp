#include "app/views/listening/transport_bar.h"

#include "app/session/automation/automation_recorder.h"
#include "app/session/document/document_store.h"
#include "app/session/listening/listening.h"
#include "app/session/listening/playback.h"
#include "app/views/common/theme.h"
#include "core/base/units.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QSlider>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace facet {

namespace {

QIcon playIcon(bool playing) {
    QPixmap picture(64, 64);
    picture.fill(Qt::transparent);
    QPainter painter(&picture);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme().ink);
    if (playing)
        painter.drawRoundedRect(QRectF(16, 16, 32, 32), 4, 4);
    else
        painter.drawPolygon(QPolygonF{{20, 12}, {52, 32}, {20, 52}});
    return QIcon(picture);
}

} // namespace

TransportBar::TransportBar(DocumentStore& document, Listening& listening, Playback& playback,
                           AutomationRecorder& automation, QWidget* parent)
    : QWidget(parent), document_(document), listening_(listening), playback_(playback), automation_(automation) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    play_ = new QToolButton(this);
    play_->setObjectName("play");
    play_->setAccessibleName(tr("Play or stop"));
    play_->setToolTip(tr("Play or stop (Space)"));
    play_->setFixedSize(42, 42);
    play_->setIconSize({22, 22});
    connect(play_, &QToolButton::clicked, this, [this] { playback_.toggle(); });
    layout->addWidget(play_);

    const auto side = [&](const QString& name, Side which, const QString& tip) {
        auto* button = new QPushButton(name, this);
        button->setObjectName("side");
        button->setCheckable(true);
        button->setToolTip(tip);
        connect(button, &QPushButton::clicked, this, [this, which] {
            playback_.listenTo(which);
            refresh();
        });
        layout->addWidget(button);
        return button;
    };
    reference_ = side(tr("Reference"), Side::reference, tr("Hear the reference (X swaps in place)"));
    render_ = side(tr("Render"), Side::render, tr("Hear the render, at the reference's loudness (X swaps in place)"));

    loop_ = new QToolButton(this);
    loop_->setText(tr("Loop"));
    loop_->setCheckable(true);
    loop_->setToolTip(tr("Play the chosen part over and over (/)"));
    connect(loop_, &QToolButton::clicked, this, [this](bool on) { playback_.setLooping(on); });
    layout->addWidget(loop_);
    record_ = new QToolButton(this);
    record_->setText(tr("Record"));
    record_->setObjectName("recordMoves");
    record_->setAccessibleName(tr("Record moves"));
    record_->setCheckable(true);
    record_->setToolTip(tr("Parameters that you turn while the phrase plays become curves of it (R)"));
    connect(record_, &QToolButton::clicked, this, [this](bool on) { automation_.record(on); });
    connect(&automation_, &AutomationRecorder::changed, this, [this] { record_->setChecked(automation_.recording()); });
    layout->addWidget(record_);
    makeLevel(layout);
    makeOutput(layout);
    connect(&playback_, &Playback::changed, this, &TransportBar::refresh);
    refresh();
}

/// What is looped, and the level that is played.
void TransportBar::makeLevel(QHBoxLayout* layout) {
    auto* texts = new QVBoxLayout;
    texts->setSpacing(0);
    loopText_ = new QLabel(this);
    loopText_->setFont(interfaceFont(9));
    level_ = new QLabel(this);
    level_->setObjectName("quiet");
    level_->setFont(interfaceFont(8.5));
    texts->addStretch(1);
    texts->addWidget(loopText_);
    texts->addWidget(level_);
    meter_ = new QProgressBar(this);
    meter_->setObjectName("levelMeter");
    meter_->setRange(-60, 0);
    meter_->setTextVisible(false);
    meter_->setFixedHeight(4);
    meter_->setAccessibleName(tr("Level in dB"));
    texts->addWidget(meter_);
    texts->addStretch(1);
    layout->addLayout(texts);
    loopText_->setMinimumWidth(96);
}

void TransportBar::makeOutput(QHBoxLayout* layout) {
    volume_ = new QSlider(Qt::Horizontal, this);
    volume_->setRange(-60, 6);
    volume_->setFixedWidth(80);
    volume_->setAccessibleName(tr("Volume in dB"));
    connect(volume_, &QSlider::valueChanged, this, [this](int db) {
        playback_.setVolume(db);
        volume_->setToolTip(tr("Volume %1 dB").arg(db));
    });
    volume_->setToolTip(tr("Volume 0 dB"));
    layout->addWidget(volume_);
    output_ = new QToolButton(this);
    output_->setObjectName("flat");
    output_->setPopupMode(QToolButton::InstantPopup);
    output_->setAccessibleName(tr("Sound output"));
    auto* menu = new QMenu(output_);
    output_->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, [this] { chooseOutputMenu(); });
    layout->addWidget(output_);
}

void TransportBar::chooseOutputMenu() {
    QMenu* menu = output_->menu();
    menu->clear();
    for (const std::string& name : outputNames()) {
        QAction* action = menu->addAction(QString::fromStdString(name));
        action->setCheckable(true);
        action->setChecked(name == playback_.output().name());
        connect(action, &QAction::triggered, this, [this, name] { playback_.chooseOutput(name); });
    }
    menu->addSeparator();
    menu->addAction(tr("Stop all sound (Esc)"), this, [this] { playback_.panic(); });
}

void TransportBar::refresh() {
    Player& player = playback_.player();
    play_->setIcon(playIcon(player.playing()));
    const bool blind = playback_.blind(), both = playback_.together() == Together::ears;
    const bool render = !blind && (both || player.side() == Side::render);
    const bool reference = !blind && (both || player.side() == Side::reference);
    reference_->setChecked(reference);
    render_->setChecked(render);
    const auto sideStyle = [](bool on, const QColor& color) {
        return on ? QString("QPushButton { background: %1; border-color: %1; color: %2; }")
                        .arg(color.name(), theme().card.name())
                  : QString();
    };
    reference_->setStyleSheet(sideStyle(reference, theme().reference));
    render_->setStyleSheet(sideStyle(render, theme().render));
    loop_->setChecked(playback_.looping());
    const Cue* cue = document_.cue();
    if (cue && cue->loopEnd > cue->loopBegin)
        loopText_->setText(tr("%1 – %2 s").arg(cue->loopBegin, 0, 'f', 2).arg(cue->loopEnd, 0, 'f', 2));
    else
        loopText_->setText(tr("whole sound"));
    if (const int slow = playback_.slowness(); slow > 1)
        loopText_->setText(tr("%1 · 1/%2 speed").arg(loopText_->text()).arg(slow));
    if (listening_.hearingPiece())
        loopText_->setText(tr("all cues together"));
    else if (listening_.hearingDifference())
        loopText_->setText(tr("difference only"));
    else if (both)
        loopText_->setText(tr("left · right ear"));
    else if (playback_.together() == Together::alternating)
        loopText_->setText(tr("%1 · in turn").arg(loopText_->text()));
    reference_->setText(listening_.hearingDifference() ? tr("Lacking") : tr("Reference"));
    render_->setText(listening_.hearingDifference() ? tr("Too much") : tr("Render"));
    const bool simulated = playback_.output().simulated();
    output_->setText(simulated ? tr("No sound device") : tr("Output"));
    output_->setToolTip(simulated
                            ? tr("No sound device was found: Facet plays to a simulated one, which cannot be heard. "
                                 "Choose another output here.")
                            : tr("Sound goes to %1").arg(QString::fromStdString(playback_.output().name())));
    showPeak(shownPeak_);
}

void TransportBar::showPeak(float peak) {
    shownPeak_ = peak;
    const double db = dbFromGain(peak);
    const QString words =
        !playback_.player().playing() && peak < 1e-4f ? tr("level matched")
        : peak > 1.0f                                 ? tr("too loud: limited")
                      : tr("peak %1 dB").arg(db < -99 ? QString("−∞") : QString::number(db, 'f', 1).replace('-', "−"));
    if (level_->text() != words) level_->setText(words);
    meter_->setValue(static_cast<int>(std::clamp(db, -60.0, 0.0)));
}

} // namespace facet

#include "moc_transport_bar.cpp"
