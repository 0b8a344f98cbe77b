// The transport: play, the current frame, the output range and rate, what runs in the background, and the pose cache.
#pragma once

#include "app/document/sound_player.h"
#include "app/widgets/parts.h"

#include <QProgressBar>
#include <QToolButton>

class QHBoxLayout;

namespace garland {

class Transport : public QWidget {
    Q_OBJECT
  public:
    Transport(Document& document, Viewing& viewing, SoundPlayer& sound, QWidget* parent = nullptr);
    void restyle(); // after a change of look

  signals:
    void jobs_asked(); // all of them, with more than one to cancel

  private:
    void add_buttons(QHBoxLayout* row);
    void add_span(QHBoxLayout* row); // frame, range and rate
    void add_jobs(QHBoxLayout* row); // what is being done, and the pose cache
    void take_edits();
    void refresh();
    void show_frame();
    void show_cache();
    void show_sound();
    void follow(Job* job); // shows the newest of those that run
    void show_jobs();

    Document& document_;
    Viewing& viewing_;
    SoundPlayer& sound_;
    QToolButton *first_button_, *play_, *last_button_, *hear_, *cancel_, *jobs_button_;
    NumberField *frame_, *first_, *last_;
    QLabel *seconds_, *cache_words_, *job_words_;
    QLineEdit* rate_;
    QProgressBar *cache_, *job_bar_;
    QPointer<Job> job_;
    QTimer cache_timer_;
};

} // namespace garland
