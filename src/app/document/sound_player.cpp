#include "app/document/sound_player.h"

#include <QAudioDevice>
#include <QAudioSink>
#include <QMediaDevices>
#include <QSettings>
#include <algorithm>
#include <cmath>

namespace garland {

SoundStream::SoundStream(std::vector<HeardSound> sounds, const Course& course, QObject* parent)
    : QIODevice(parent), sounds_(std::move(sounds)), course_(course) {}

double SoundStream::frame_at(qint64 sample) const {
    const double passed = static_cast<double>(sample) / course_.samples * course_.rate * course_.pace;
    const double first = static_cast<double>(course_.range.first), count = static_cast<double>(course_.range.count());
    const double at = course_.from + passed - first;
    return first + at - std::floor(at / count) * count;
}

float SoundStream::sample_at(qint64 sample) const {
    return heard_at(sounds_, frame_at(sample), course_.rate);
}

qint64 SoundStream::readData(char* to, qint64 most) {
    const qint64 count = most / 2;
    auto* out = reinterpret_cast<qint16*>(to);
    for (qint64 i = 0; i < count; ++i) out[i] = static_cast<qint16>(std::lround(sample_at(next_ + i) * 32767.0f));
    next_ += count;
    return count * 2;
}

SoundPlayer::SoundPlayer(Document& document, Viewing& viewing, QObject* parent)
    : QObject(parent), document_(document), viewing_(viewing) {
    on_ = QSettings().value("sound/on", true).toBool();
    connect(&viewing, &Viewing::playing_changed, this, &SoundPlayer::follow);
    connect(&viewing, &Viewing::pace_changed, this, &SoundPlayer::follow);
    connect(&document, &Document::changed, this, [this] {
        if (viewing_.playing()) follow(); // sounds, rate or range may be others
        emit changed();
    });
}

SoundPlayer::~SoundPlayer() {
    stop();
}

void SoundPlayer::set_on(bool on) {
    if (on == on_) return;
    on_ = on;
    QSettings().setValue("sound/on", on);
    follow();
    emit changed();
}

bool SoundPlayer::has_sounds() const {
    return !heard_sounds(document_.project(), document_.library().open()).empty();
}

std::unique_ptr<SoundStream> SoundPlayer::stream() const {
    std::vector<HeardSound> sounds = heard_sounds(document_.project(), document_.library().open());
    if (sounds.empty()) return nullptr;
    const Settings& settings = document_.project().settings;
    SoundStream::Course course;
    course.from = viewing_.frame().value;
    course.pace = viewing_.playing() ? viewing_.pace() : 1;
    course.range = viewing_.playing_part().value_or(settings.range);
    course.rate = settings.rate.per_second();
    return std::make_unique<SoundStream>(std::move(sounds), course);
}

void SoundPlayer::follow() {
    stop();
    if (!viewing_.playing() || !on_) return;
    auto next = stream();
    if (!next) return;
    QAudioDevice device = QMediaDevices::defaultAudioOutput();
    for (const QAudioDevice& one : QMediaDevices::audioOutputs()) {
        if (one.description() == device_) device = one;
    }
    QAudioFormat format;
    format.setSampleRate(48'000);
    format.setChannelCount(1);
    format.setSampleFormat(QAudioFormat::Int16);
    const bool was = silent_;
    silent_ = device.isNull() || !device.isFormatSupported(format);
    if (silent_ != was) emit changed();
    if (silent_) return;
    stream_ = std::move(next);
    stream_->open(QIODevice::ReadOnly);
    sink_ = std::make_unique<QAudioSink>(device, format);
    sink_->setBufferSize(48'000 * 2 / 20); // a twentieth of a second
    sink_->start(stream_.get());
}

void SoundPlayer::stop() {
    if (sink_) sink_->stop();
    sink_.reset();
    stream_.reset();
}

} // namespace garland
