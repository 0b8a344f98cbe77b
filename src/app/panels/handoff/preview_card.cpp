#include "app/panels/handoff/preview_card.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"

#include <QClipboard>
#include <QFileDialog>
#include <QGridLayout>
#include <QGuiApplication>
#include <QSettings>

namespace garland {

namespace {

constexpr int small_width = 480; // of pictures that are kept for playing
constexpr int most_kept = 600;

QHBoxLayout* row_of(std::initializer_list<QWidget*> widgets) {
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    for (QWidget* w : widgets) row->addWidget(w);
    row->addStretch(1);
    return row;
}

} // namespace

QImage PreviewCard::image_of(const Picture& picture, double exposure) {
    const std::vector<std::uint8_t> shown = shown_8(picture, exposure);
    QImage image(shown.data(), picture.width, picture.height, picture.width * 4, QImage::Format_RGBA8888);
    bool clear = false;
    for (std::size_t i = 3; i < shown.size() && !clear; i += 4) clear = shown[i] != 255;
    return image.convertToFormat(clear ? QImage::Format_ARGB32 : QImage::Format_RGB32);
}

PreviewCard::PreviewCard(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(12);
    auto* settings = new QVBoxLayout;
    settings->setSpacing(5);
    make_settings(settings);
    settings->addStretch(1);
    across->addLayout(settings);
    auto* column = new QVBoxLayout;
    column->setSpacing(6);
    across->addLayout(column, 1);

    picture_ = new PictureView;
    picture_->setToolTip(tr("Double-click: in a window of its own"));
    connect(picture_, &PictureView::double_clicked, this, &PreviewCard::enlarge);
    column->addWidget(picture_);
    quick_ = make_button(tr("Quick look"), tr("Trace the shown frame at half the size, with few samples"));
    connect(quick_, &QPushButton::clicked, this, &PreviewCard::quick_look);
    play_ = make_button(tr("Play"), tr("Play the pictures that are finished, at the project's rate"));
    play_->setCheckable(true);
    connect(play_, &QPushButton::clicked, this, &PreviewCard::play);
    compare_ = new QCheckBox(tr("compare"));
    compare_->setToolTip(tr("Keep what is finished, and show the next pictures beside it"));
    connect(compare_, &QCheckBox::clicked, this, [this](bool on) {
        before_.clear();
        if (on) before_ = now_;
        show_shot(shown_);
    });
    large_ = make_button(tr("Enlarge"), tr("The picture in a window of its own, which follows"));
    connect(large_, &QPushButton::clicked, this, &PreviewCard::enlarge);
    copy_ = make_button(tr("Copy"), tr("Copy the shown picture to the clipboard"));
    connect(copy_, &QPushButton::clicked, this, &PreviewCard::copy);
    save_ = make_button(tr("Save picture…"), tr("Save the shown picture as a file"));
    connect(save_, &QPushButton::clicked, this, &PreviewCard::save_as);
    column->addLayout(row_of({quick_, play_, compare_}));
    column->addLayout(row_of({large_, copy_, save_}));
    words_ = make_label({}, "muted");
    column->addWidget(words_);
    problem_ = make_label({}, "alert");
    problem_->setWordWrap(true);
    column->addWidget(problem_);
    column->addStretch(1);
    recall();

    connect(&timer_, &QTimer::timeout, this, [this] {
        if (!now_.empty()) show_shot((shown_ + 1) % static_cast<int>(now_.size()));
    });
    connect(&document_, &Document::opened, this, [this] {
        now_.clear(), before_.clear();
        last_ = {};
        play(false);
        show_pictures({}, {}, {}, {});
        refresh();
    });
    connect(&document_, &Document::changed, this, &PreviewCard::refresh);
    refresh();
}

void PreviewCard::settle() {
    remember();
    refresh();
    emit changed();
}

void PreviewCard::make_choices() {
    auto settle = [this](int) { this->settle(); };
    const QString as_texts[] = {tr("PNG pictures"),
                                tr("PNG pictures, 16 bits"),
                                tr("OpenEXR pictures"),
                                tr("OpenEXR pictures, 32 bits"),
                                tr("movie, MP4 (H.264)"),
                                tr("movie, WebM (VP9)"),
                                tr("movie, MOV (ProRes 4444)"),
                                tr("movie, MKV (FFV1, lossless)")};
    as_ = make_choice(QStringList(std::begin(as_texts), std::end(as_texts)), tr("As"),
                      tr("One picture for each frame, or one movie"), settle);
    from_ = make_choice({tr("the camera"), tr("the view in the Scene")}, tr("Seen from"),
                        tr("The camera's keys, or what the Scene shows now"), settle);
    ground_ =
        make_choice({tr("shown"), tr("only its shadows"), tr("none")}, tr("Ground"),
                    tr("A matt ground at height 0; or only the shadows on it, to lay over another picture"), settle);
    colour_ = make_choice({tr("materials"), tr("source frame"), tr("delay"), tr("speed"), tr("level"), tr("copy"),
                           tr("twins"), tr("spread")},
                          tr("Colours"), tr("The copies' own colours, or coloured by a value"), settle);
}

void PreviewCard::make_numbers() {
    auto number = [&](Quantity q, double low, double high, int decimals, const QString& name, const QString& tip) {
        auto* field = make_number(q, low, high, decimals, name, tip);
        field->setMaximumWidth(66);
        connect(field, &NumberField::edited, this, &PreviewCard::settle);
        return field;
    };
    width_ = number(Quantity::plain, 1, 16384, 0, tr("Width in pixels"), tr("Width of the pictures in pixels"));
    height_ = number(Quantity::plain, 1, 16384, 0, tr("Height in pixels"), tr("Height of the pictures in pixels"));
    samples_ =
        number(Quantity::plain, 1, 4096, 0, tr("Samples a pixel"), tr("More samples, less grain; 16 for a preview"));
    shutter_ = number(Quantity::degrees, 0, 360, 0, tr("Shutter"),
                      tr("How long of a frame the shutter is open: 180° is half of it; 0: no motion blur"));
    exposure_ = number(Quantity::plain, -20, 20, 2, tr("Exposure in stops"), tr("Stops brighter or darker"));
}

void PreviewCard::make_checks() {
    auto check = [&](const QString& words, const QString& tip) {
        auto* box = new QCheckBox(words);
        box->setToolTip(tip);
        connect(box, &QCheckBox::clicked, this, &PreviewCard::settle);
        return box;
    };
    clear_ = check(tr("transparent"), tr("No sky: what no copy covers is clear"));
    passes_ = check(tr("all passes"), tr("Depth, motion, normals, numbers of copies and sources in each OpenEXR file"));
    sound_ = check(tr("with sound"), tr("The project's sounds in the movie"));
    frame_words_ = check(tr("frame"), tr("The output frame, in a band along the lower edge"));
    time_words_ = check(tr("time"),
                        tr("When the frame starts in seconds, as beside the playhead, in a band along the lower edge"));
    name_words_ = check(tr("name"), tr("The project's name, in a band along the lower edge"));
    colour_words_ = check(tr("colours"), tr("What the colours stand for, where copies are coloured by a value"));
}

void PreviewCard::make_settings(QVBoxLayout* column) {
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(5);
    make_choices();
    make_numbers();
    make_checks();
    struct Row {
        QString label;
        QHBoxLayout* widgets;
    };
    const Row rows[] = {{tr("As"), row_of({as_})},
                        {tr("Seen from"), row_of({from_})},
                        {tr("Size"), row_of({width_, make_label("×"), height_, make_label(tr("pixels"))})},
                        {tr("Samples"), row_of({samples_, make_label(tr("shutter")), shutter_})},
                        {tr("Exposure"), row_of({exposure_, make_label(tr("stops"))})},
                        {tr("Ground"), row_of({ground_})},
                        {tr("Colours"), row_of({colour_})},
                        {tr("Written over it"), row_of({frame_words_, time_words_, name_words_, colour_words_})},
                        {QString(), row_of({clear_, passes_, sound_})}};
    int n = 0;
    for (const Row& row : rows) {
        grid->addWidget(make_label(row.label), n, 0);
        grid->addLayout(row.widgets, n++, 1);
    }
    column->addLayout(grid);
}

void PreviewCard::recall() {
    QSettings s;
    s.beginGroup("preview");
    as_->setCurrentIndex(s.value("as", 0).toInt());
    from_->setCurrentIndex(s.value("from", 0).toInt());
    ground_->setCurrentIndex(s.value("ground", 0).toInt());
    colour_->setCurrentIndex(s.value("colour", 0).toInt());
    const PreviewLook usual;
    width_->set_value(s.value("width", usual.width).toDouble());
    height_->set_value(s.value("height", usual.height).toDouble());
    samples_->set_value(s.value("samples", usual.samples).toDouble());
    shutter_->set_value(s.value("shutter", usual.shutter).toDouble());
    exposure_->set_value(s.value("exposure", 0).toDouble());
    clear_->setChecked(s.value("transparent", false).toBool());
    passes_->setChecked(s.value("passes", false).toBool());
    sound_->setChecked(s.value("sound", true).toBool());
    frame_words_->setChecked(s.value("frame_words", false).toBool());
    time_words_->setChecked(s.value("time_words", false).toBool());
    colour_words_->setChecked(s.value("colour_words", false).toBool());
    name_words_->setChecked(s.value("name_words", false).toBool());
}

void PreviewCard::show_pictures(const QImage& picture, const QImage& before, const QString& words,
                                const QString& before_words) {
    picture_->show_pictures(picture, before, words, before_words);
    if (window_) window_->show_pictures(picture, before, words, before_words);
}

void PreviewCard::enlarge() {
    if (!window_) {
        window_ = new PictureView(this);
        window_->setWindowFlag(Qt::Window);
        window_->setAttribute(Qt::WA_DeleteOnClose);
        window_->setWindowTitle(tr("Preview"));
        window_->resize(980, 580);
    }
    window_->show_pictures(timer_.isActive() || last_.isNull() ? picture_->picture() : last_, picture_->before(),
                           picture_->accessibleDescription(), {});
    window_->show();
    window_->raise();
}

void PreviewCard::remember() {
    QSettings s;
    s.beginGroup("preview");
    s.setValue("as", as_->currentIndex());
    s.setValue("from", from_->currentIndex());
    s.setValue("ground", ground_->currentIndex());
    s.setValue("colour", colour_->currentIndex());
    s.setValue("width", width_->value());
    s.setValue("height", height_->value());
    s.setValue("samples", samples_->value());
    s.setValue("shutter", shutter_->value());
    s.setValue("exposure", exposure_->value());
    s.setValue("transparent", clear_->isChecked());
    s.setValue("passes", passes_->isChecked());
    s.setValue("sound", sound_->isChecked());
    s.setValue("frame_words", frame_words_->isChecked());
    s.setValue("time_words", time_words_->isChecked());
    s.setValue("colour_words", colour_words_->isChecked());
    s.setValue("name_words", name_words_->isChecked());
}

PreviewOrder PreviewCard::order() const {
    PreviewOrder o;
    o.as = static_cast<PreviewAs>(std::max(0, as_->currentIndex()));
    o.look.width = static_cast<int>(width_->value()), o.look.height = static_cast<int>(height_->value());
    o.look.samples = static_cast<int>(samples_->value());
    o.look.shutter = shutter_->value();
    o.look.exposure = exposure_->value();
    o.look.transparent = clear_->isChecked();
    o.look.ground = static_cast<PreviewGround>(std::max(0, ground_->currentIndex()));
    o.look.colour = static_cast<PreviewColour>(std::max(0, colour_->currentIndex()));
    o.look.spread = viewing_.shown_spread();
    o.look.passes = passes_->isChecked() && (o.as == PreviewAs::exr || o.as == PreviewAs::exr_float);
    o.sound = sound_->isChecked();
    o.overlay = {frame_words_->isChecked(), time_words_->isChecked(), name_words_->isChecked(),
                 colour_words_->isChecked()};
    if (from_->currentIndex() == 1) o.camera = viewing_.view();
    return o;
}

void PreviewCard::refresh() {
    const auto as = static_cast<PreviewAs>(std::max(0, as_->currentIndex()));
    passes_->setVisible(as == PreviewAs::exr || as == PreviewAs::exr_float);
    sound_->setVisible(movie_of(as).has_value() &&
                       !heard_sounds(document_.project(), document_.library().open()).empty());
    const bool any = !picture_->picture().isNull();
    play_->setEnabled(now_.size() > 1);
    compare_->setEnabled(!now_.empty() || compare_->isChecked());
    copy_->setEnabled(any);
    large_->setEnabled(any);
    save_->setEnabled(any);
    quick_->setEnabled(!job_ && document_.show()->copies() > 0);
    words_->setText(now_.size() > 1 ? tr("%1 finished; kept small for playing")
                                          .arg(QString::fromStdString(counted(now_.size(), "picture", "pictures")))
                                    : QString());
    problem_->setVisible(!problem_->text().isEmpty());
}

void PreviewCard::quick_look() {
    if (job_) job_->drop();
    PreviewOrder o = order();
    o.look.width = std::max(2, o.look.width / 2), o.look.height = std::max(2, o.look.height / 2);
    o.look.samples = std::min(o.look.samples, 4);
    o.look.passes = false;
    const OutputFrame t = viewing_.frame();
    struct Made {
        QImage image;
        qint64 milliseconds = 0;
    };
    job_ = document_.jobs().start<Made>(
        this, tr("Tracing a quick look"),
        [show = document_.show(), project = document_.project(), o, t](Progress& p) -> Result<Made> {
            QElapsedTimer clock;
            clock.start();
            PreviewLook look = o.look;
            GARLAND_CHECK(mark_twins(*show, look, p));
            GARLAND_TRY(picture, render_frame(*show, project, t, look, p, o.camera));
            lay_over(picture, *show, project, o, static_cast<std::int64_t>(std::floor(t.value)));
            return Made{image_of(picture, o.look.exposure), clock.elapsed()};
        },
        [this, t](Result<Made> made) {
            job_ = nullptr;
            if (!made) {
                if (made.error().code != ErrorCode::cancelled)
                    problem_->setText(QString::fromStdString(describe(made.error())));
                return refresh();
            }
            problem_->clear();
            play(false);
            last_ = made->image;
            show_pictures(made->image, {},
                          tr("quick look at output frame %1, %2 s")
                              .arg(number_text(t.value, 2))
                              .arg(static_cast<double>(made->milliseconds) / 1000, 0, 'f', 1));
            refresh();
        });
    refresh();
}

void PreviewCard::begin() {
    play(false);
    if (compare_->isChecked() && before_.empty()) before_ = now_;
    now_.clear();
    problem_->clear();
    refresh();
}

QImage PreviewCard::small_of(const QImage& picture) {
    return picture.width() > small_width ? picture.scaledToWidth(small_width, Qt::SmoothTransformation) : picture;
}

void PreviewCard::add(std::int64_t frame, const QImage& picture, const QImage& small) {
    last_ = picture;
    if (now_.size() < most_kept) now_.push_back({frame, small});
    if (!timer_.isActive()) {
        const std::size_t n = now_.size() - 1;
        const bool pair = n < before_.size();
        show_pictures(picture, pair ? before_[n].small : QImage(), tr("output frame %1").arg(frame),
                      pair ? tr("before: output frame %1").arg(before_[n].frame) : QString());
        shown_ = static_cast<int>(n);
    }
    refresh();
}

void PreviewCard::show_shot(int index) {
    if (index < 0 || static_cast<std::size_t>(index) >= now_.size()) return;
    shown_ = index;
    const auto n = static_cast<std::size_t>(index);
    const bool pair = n < before_.size();
    show_pictures(now_[n].small, pair ? before_[n].small : QImage(), tr("output frame %1").arg(now_[n].frame),
                  pair ? tr("before: output frame %1").arg(before_[n].frame) : QString());
}

void PreviewCard::play(bool on) {
    play_->setChecked(on);
    play_->setText(on ? tr("Stop") : tr("Play"));
    if (on) {
        timer_.start(std::max(1, static_cast<int>(1000 / document_.project().settings.rate.per_second())));
    } else {
        timer_.stop();
        if (!last_.isNull() && !now_.empty()) show_shot(shown_);
    }
}

void PreviewCard::copy() {
    QGuiApplication::clipboard()->setImage(timer_.isActive() || last_.isNull() ? picture_->picture() : last_);
}

void PreviewCard::save_as() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Save the picture"), {}, tr("PNG pictures (*.png)"));
    if (path.isEmpty()) return;
    const QImage& image = timer_.isActive() || last_.isNull() ? picture_->picture() : last_;
    problem_->setText(image.save(path.endsWith(".png") ? path : path + ".png", "PNG")
                          ? QString()
                          : tr("%1 could not be written; choose another folder.").arg(path));
    refresh();
}

} // namespace garland
