// Previews in the Hand off step: how pictures are made, the last one large, what is finished played and compared.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/handoff/picture_view.h"
#include "app/widgets/parts.h"
#include "render/preview.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QTimer>

namespace garland {

class PreviewCard : public QWidget {
    Q_OBJECT
  public:
    PreviewCard(Document& document, Viewing& viewing, QWidget* parent = nullptr);

    // What is to be made, as the card says; folder, name, frames and what happens to files are the panel's.
    PreviewOrder order() const;
    void quick_look(); // the shown frame at half the size, in the background

    void begin(); // what was finished before goes, unless it is compared with
    void add(std::int64_t frame, const QImage& picture, const QImage& small);
    int finished() const { return static_cast<int>(now_.size()); }
    PictureView& picture() { return *picture_; }

    static QImage small_of(const QImage& picture); // for playing
    static QImage image_of(const Picture& picture, double exposure);

  signals:
    void changed(); // another order

  private:
    struct Shot {
        std::int64_t frame = 0;
        QImage small;
    };
    void remember();
    void refresh();
    void show_shot(int index);
    void show_pictures(const QImage& picture, const QImage& before, const QString& words,
                       const QString& before_words = {});
    void enlarge(); // in a window of its own, which follows
    void make_settings(QVBoxLayout* column);
    void make_choices();
    void make_numbers();
    void make_checks();
    void settle(); // keeps a setting that was changed, and shows what follows from it
    void recall();
    void play(bool on);
    void copy();
    void save_as();
    Document& document_;
    Viewing& viewing_;
    QComboBox *as_, *ground_, *colour_, *from_;
    NumberField *width_, *height_, *samples_, *shutter_, *exposure_;
    QCheckBox *clear_, *passes_, *sound_, *frame_words_, *time_words_, *name_words_, *colour_words_, *compare_;
    QPushButton *quick_, *play_, *large_, *copy_, *save_;
    QLabel *words_, *problem_;
    PictureView* picture_;
    QPointer<PictureView> window_;
    std::vector<Shot> now_, before_;
    QImage last_; // the last picture, whole
    QTimer timer_;
    int shown_ = 0;
    QPointer<Job> job_;
};

} // namespace garland
