#include "app/views/listening/transport_bar.h"

#include "app/session/session.h"
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

TransportBar::TransportBar(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(8);
    play_ = new QToolButton(this);
    play_->setObjectName("play");
    play_->setAccessibleName(tr("Play or stop"));
    play_->setToolTip(tr("Play or stop (Space)"));
    play_->setFixedSize(42, 42);
    play_->setIconSize({22, 22});
    connect(play_, &QToolButton::clicked, this, [this] { session_.playback.toggle(); });
    layout->addWidget(play_);

    const auto side = [&](const QString& name, Side which, const QString& tip) {
        auto* button = new QPushButton(name, this);
        button->setObjectName("side");
        button->setCheckable(true);
        button->setToolTip(tip);
        connect(button, &QPushButton::clicked, this, [this, which] {
            session_.playback.listenTo(which);
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
    connect(loop_, &QToolButton::clicked, this, [this](bool on) { session_.playback.setLooping(on); });
    layout->addWidget(loop_);
    record_ = new QToolButton(this);
    record_->setText(tr("Record"));
    record_->setObjectName("recordMoves");
    record_->setAccessibleName(tr("Record moves"));
    record_->setCheckable(true);
    record_->setToolTip(tr("Parameters that you turn while the phrase plays become curves of it (R)"));
    connect(record_, &QToolButton::clicked, this, [this](bool on) { session_.automation.record(on); });
    connect(&session_.automation, &AutomationRecorder::changed, this, [this] { record_->setChecked(session_.automation.recording()); });
    layout->addWidget(record_);
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

    volume_ = new QSlider(Qt::Horizontal, this);
    volume_->setRange(-60, 6);
    volume_->setFixedWidth(80);
    volume_->setAccessibleName(tr("Volume in dB"));
    connect(volume_, &QSlider::valueChanged, this, [this](int db) {
        session_.playback.setVolume(db);
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
    connect(&session_.playback, &Playback::changed, this, &TransportBar::refresh);
    refresh();
}

void TransportBar::chooseOutputMenu() {
    QMenu* menu = output_->menu();
    menu->clear();
    for (const std::string& name : outputNames()) {
        QAction* action = menu->addAction(QString::fromStdString(name));
        action->setCheckable(true);
        action->setChecked(name == session_.playback.output().name());
        connect(action, &QAction::triggered, this, [this, name] { session_.playback.chooseOutput(name); });
    }
    menu->addSeparator();
    menu->addAction(tr("Stop all sound (Esc)"), this, [this] { session_.playback.panic(); });
}

void TransportBar::refresh() {
    Player& player = session_.playback.player();
    play_->setIcon(playIcon(player.playing()));
    const bool blind = session_.playback.blind(), both = session_.playback.together() == Together::ears;
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
    loop_->setChecked(session_.playback.looping());
    const Cue* cue = session_.document.cue();
    if (cue && cue->loopEnd > cue->loopBegin)
        loopText_->setText(tr("%1 – %2 s").arg(cue->loopBegin, 0, 'f', 2).arg(cue->loopEnd, 0, 'f', 2));
    else
        loopText_->setText(tr("whole sound"));
    if (const int slow = session_.playback.slowness(); slow > 1)
        loopText_->setText(tr("%1 · 1/%2 speed").arg(loopText_->text()).arg(slow));
    if (session_.listening.hearingPiece())
        loopText_->setText(tr("all cues together"));
    else if (session_.listening.hearingDifference())
        loopText_->setText(tr("difference only"));
    else if (both)
        loopText_->setText(tr("left · right ear"));
    else if (session_.playback.together() == Together::alternating)
        loopText_->setText(tr("%1 · in turn").arg(loopText_->text()));
    reference_->setText(session_.listening.hearingDifference() ? tr("Lacking") : tr("Reference"));
    render_->setText(session_.listening.hearingDifference() ? tr("Too much") : tr("Render"));
    const bool simulated = session_.playback.output().simulated();
    output_->setText(simulated ? tr("No sound device") : tr("Output"));
    output_->setToolTip(simulated
                            ? tr("No sound device was found: Facet plays to a simulated one, which cannot be heard. "
                                 "Choose another output here.")
                            : tr("Sound goes to %1").arg(QString::fromStdString(session_.playback.output().name())));
    showPeak(shownPeak_);
}

void TransportBar::showPeak(float peak) {
    shownPeak_ = peak;
    const double db = dbFromGain(peak);
    const QString words =
        !session_.playback.player().playing() && peak < 1e-4f ? tr("level matched")
        : peak > 1.0f                                           ? tr("too loud: limited")
                      : tr("peak %1 dB").arg(db < -99 ? QString("−∞") : QString::number(db, 'f', 1).replace('-', "−"));
    if (level_->text() != words) level_->setText(words);
    meter_->setValue(static_cast<int>(std::clamp(db, -60.0, 0.0)));
}

} // namespace facet
