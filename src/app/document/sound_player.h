// The project's sounds, heard while the window plays: in step with the playhead, at any pace, around the range's end.
// Without a sound device everything goes on silently.
#pragma once

#include "app/document/viewing.h"

#include <QIODevice>
#include <memory>

class QAudioSink;

namespace garland {

// What is heard from a moment of playing on: samples as a pure function of their number. 16-bit, one channel.
class SoundStream : public QIODevice {
    Q_OBJECT
  public:
    struct Course {
        double from = 1;      // the output frame of the first sample
        double pace = 1;      // output frames played for each frame that passes; below 0 backward
        FrameRange range{};   // played around and around
        double rate = 24;     // output frames per second
        int samples = 48'000; // per second
    };
    SoundStream(std::vector<HeardSound> sounds, const Course& course, QObject* parent = nullptr);

    // The output frame that is heard with a sample, from 0; and the sample, −1 … 1: all sounds added.
    double frame_at(qint64 sample) const;
    float sample_at(qint64 sample) const;

    bool isSequential() const override { return true; }
    qint64 bytesAvailable() const override { return 1 << 20; } // it never ends

  protected:
    qint64 readData(char* to, qint64 most) override;
    qint64 writeData(const char*, qint64) override { return -1; }

  private:
    std::vector<HeardSound> sounds_;
    Course course_;
    qint64 next_ = 0;
};

class SoundPlayer : public QObject {
    Q_OBJECT
  public:
    SoundPlayer(Document& document, Viewing& viewing, QObject* parent = nullptr);
    ~SoundPlayer() override;

    bool on() const { return on_; }
    void set_on(bool on);                                                  // remembered
    void set_device(const QString& description) { device_ = description; } // empty, or gone: the system's
    // Whether there is anything to play, and anything to play it on. A device is looked for when playing begins.
    bool has_sounds() const;
    bool silent() const { return silent_; } // the last playing found no device
    // What would be heard if playing went on from here; null without sounds. For listening, and for tests.
    std::unique_ptr<SoundStream> stream() const;

  signals:
    void changed();

  private:
    void follow();
    void stop();
    Document& document_;
    Viewing& viewing_;
    bool on_ = true, silent_ = false;
    QString device_;
    std::unique_ptr<QAudioSink> sink_;
    std::unique_ptr<SoundStream> stream_;
};

} // namespace garland
