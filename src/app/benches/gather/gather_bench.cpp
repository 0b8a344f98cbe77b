#include "app/benches/gather/gather_bench.h"

#include "app/theme/tokens.h"
#include "core/base/numbers.h"
#include "io/open_source.h"
#include "io/project_file.h"

#include <QFileDialog>
#include <QMenu>
#include <QPainter>

namespace garland {

namespace {

constexpr int strip_poses = 8;

// Eight poses of a source in a row, with their frame numbers.
class PoseStrip : public QWidget {
  public:
    PoseStrip(Document& document, PosePictures& pictures, SourceId source)
        : document_(document), pictures_(pictures), source_(source) {
        setFixedHeight(74);
        setMinimumWidth(200);
        QObject::connect(&pictures, &PosePictures::ready, this, qOverload<>(&QWidget::update));
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        const Tokens& t = tokens();
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(Qt::NoPen);
        p.setBrush(t.ground);
        p.drawRoundedRect(rect(), 6, 6);
        const double cell = static_cast<double>(width()) / strip_poses;
        const auto sampler = document_.show()->samplers.find(source_);
        if (sampler == document_.show()->samplers.end()) {
            p.setPen(t.muted);
            p.drawText(rect(), Qt::AlignCenter, QObject::tr("its files are not there"));
            return;
        }
        const double ratio = devicePixelRatioF();
        const auto& images = pictures_.get(source_, strip_poses, QSize(44, 54) * ratio);
        p.setFont(text_font(7));
        for (int i = 0; i < static_cast<int>(images.size()); ++i) {
            QImage image = images[static_cast<std::size_t>(i)];
            image.setDevicePixelRatio(ratio);
            if (!image.isNull()) p.drawImage(QPointF(cell * (i + 0.5) - 22, 3), image);
            p.setPen(t.muted);
            const double frame = PosePictures::frame_of(sampler->second.clock(), i, strip_poses).value;
            p.drawText(QRectF(cell * i, 57, cell, 15), Qt::AlignCenter, QString::fromStdString(short_number(frame, 1)));
        }
    }

  private:
    Document& document_;
    PosePictures& pictures_;
    SourceId source_;
};

} // namespace

GatherBench::GatherBench(Document& document, Viewing& viewing, QWidget* parent)
    : Bench(tr("Gather"), true, document, viewing, parent), pictures_(document) {
    auto* add = make_button(tr("Add…"), tr("Gather a cache from files (Ctrl+G), or drop files into the window"));
    add->setObjectName("primary");
    connect(add, &QPushButton::clicked, this, &GatherBench::choose_files);
    head()->addWidget(add);
    cards_ = new QVBoxLayout;
    cards_->setSpacing(10);
    body()->addLayout(cards_);
    body()->addStretch(1);
    connect(&document_, &Document::changed, this, &GatherBench::rebuild);
    connect(&document_, &Document::sources_changed, this, &GatherBench::rebuild);
    rebuild();
}

QString GatherBench::file_filter() {
    QStringList patterns;
    for (const auto& ending : source_endings()) patterns << "*" + QString::fromStdString(ending);
    return tr("Caches (%1);;All files (*)").arg(patterns.join(' '));
}

void GatherBench::choose_files() {
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Gather a cache"), {}, file_filter());
    for (const QString& file : files) document_.add_source(file);
}

void GatherBench::find_file(SourceId id) {
    const QString file = QFileDialog::getOpenFileName(this, tr("Find the source's files"), {}, file_filter());
    if (!file.isEmpty()) document_.replace_source(id, file);
}

void GatherBench::rebuild() {
    clear_layout(cards_);
    const Project& p = document_.project();
    int problems = 0;
    for (const auto& [id, open] : document_.sources()) {
        if (p.source(id)) problems += static_cast<int>(open.source->facts().problems.size());
    }
    emit badge(problems + static_cast<int>(document_.missing().size()));
    set_note(p.sources.empty()
                 ? QString()
                 : QString::fromStdString(counted(static_cast<long long>(p.sources.size()), "source", "sources")));
    if (p.sources.empty()) {
        auto* words =
            make_label(tr("Drop a cache into the window, or use Add….\n\n"
                          "Garland reads numbered OBJ or PLY series (give any one file), and a mesh beside a "
                          "NumPy array of points (name.ply and name.npy) or a table of pieces (name_pieces.csv). The files are "
                          "only read, never changed."),
                       "muted");
        words->setWordWrap(true);
        cards_->addWidget(words);
        return;
    }
    for (const SourceSpec& spec : p.sources) cards_->addWidget(make_source_card(spec));
}

QWidget* GatherBench::make_source_card(const SourceSpec& spec) {
    auto* card = make_card();
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    const SourceId id = spec.id;

    auto* head = new QHBoxLayout;
    auto* name = new QLineEdit(QString::fromStdString(spec.name));
    name->setAccessibleName(tr("Name of the source"));
    name->setToolTip(tr("What the source is called in this project"));
    connect(name, &QLineEdit::editingFinished, this, [this, id, name] {
        document_.edit(tr("Rename the source"), [&](Project& p) -> Result<void> {
            if (auto* s = p.source(id)) s->name = name->text().toStdString();
            return {};
        });
    });
    head->addWidget(name, 1);
    auto* replace = make_button(tr("Replace…"), tr("Take other files for this source and keep all its rules"));
    connect(replace, &QPushButton::clicked, this, [this, id] { find_file(id); });
    head->addWidget(replace);
    if (const auto open = document_.sources().find(id);
        open != document_.sources().end() && !open->second.source->facts().faces_change_at) {
        const SourceFacts& f = open->second.source->facts();
        auto* fast = make_button(tr("Fast copy"), tr("Write the source again as arrays that are read by seeking, and use the copy"));
        auto* menu = new QMenu(fast);
        auto add = [&](const QString& words, NpyType type, bool velocities) {
            const double bytes = fast_copy_bytes(f, {{}, type, velocities});
            menu->addAction(tr("%1, %2…").arg(words, QString::fromStdString(byte_count(bytes))), this, [this, id, type, velocities] {
                QString path = QFileDialog::getSaveFileName(this, tr("Write the fast copy"), {}, tr("Mesh and arrays (*.ply)"));
                if (path.endsWith(".ply", Qt::CaseInsensitive)) path.chop(4);
                if (!path.isEmpty()) document_.fast_copy(id, {path.toStdString(), type, velocities, Existing::replace});
            });
        };
        add(tr("Full floats"), NpyType::f32, true);
        add(tr("Half floats"), NpyType::f16, true);
        if (f.velocities) {
            add(tr("Full floats without velocities"), NpyType::f32, false);
            add(tr("Half floats without velocities"), NpyType::f16, false);
        }
        fast->setProperty("opens", true); // room for its arrow
        fast->setMenu(menu);
        head->addWidget(fast);
    }
    auto* remove = make_button(tr("Remove"), tr("Take this source and its copies out of the project; files stay"));
    connect(remove, &QPushButton::clicked, this, [this, id] {
        document_.edit(tr("Remove the source"), [&](Project& p) -> Result<void> {
            remove_source(p, id);
            return {};
        });
    });
    head->addWidget(remove);
    column->addLayout(head);
    column->addWidget(new PoseStrip(document_, pictures_, id));

    const auto open = document_.sources().find(id);
    const bool there = open != document_.sources().end();
    auto line = [&](const QString& text, const char* role) {
        auto* label = make_label(text, role);
        label->setWordWrap(true);
        label->setTextInteractionFlags(Qt::TextSelectableByMouse);
        column->addWidget(label);
    };
    if (there) {
        const SourceFacts& f = open->second.source->facts();
        QStringList has;
        if (f.velocities) has << tr("velocities");
        if (f.normals) has << tr("normals");
        if (f.uvs) has << tr("texture coordinates");
        if (f.colours) has << tr("colours");
        for (const auto& a : f.attributes) has << QString::fromStdString(a);
        line(tr("%1 · %2 · frames %3–%4 (%5)")
                 .arg(QString::fromUtf8(to_text(f.kind)), QString::fromStdString(f.format))
                 .arg(f.first)
                 .arg(f.last)
                 .arg(f.frames()),
             nullptr);
        line(tr("%1 · %2 · %3 on disk%4")
                 .arg(QString::fromStdString(counted(static_cast<long long>(f.points), "point", "points")),
                      QString::fromStdString(counted(static_cast<long long>(f.faces), "face", "faces")),
                      QString::fromStdString(byte_count(f.bytes_on_disk)),
                      has.isEmpty() ? QString() : tr(" · with %1").arg(has.join(", "))),
             "muted");
        if (f.faces_change_at) line(tr("Points or faces change at frame %1.").arg(*f.faces_change_at), "muted");
        for (const SourceProblem& problem : f.problems) {
            line(QString::fromStdString("• " + problem.what + "; " + problem.advice + "."), "alert");
        }
    }
    for (const MissingSource& m : document_.missing()) {
        if (m.id != id) continue;
        line(QString::fromStdString(describe(m.error)), "alert");
        auto* find = make_button(tr("Find the files…"), tr("Say where this source's files are now"));
        find->setObjectName("primary");
        connect(find, &QPushButton::clicked, this, [this, id] { find_file(id); });
        column->addWidget(find, 0, Qt::AlignLeft);
    }

    auto* form = new QGridLayout;
    form->setHorizontalSpacing(8);
    form->setVerticalSpacing(6);
    auto* rate = new QLineEdit(QString::fromStdString(to_text(spec.rate)));
    rate->setMaximumWidth(110);
    rate->setAccessibleName(tr("Frame rate of the files"));
    rate->setToolTip(tr("Frames a second in the files: 24, 23.976, 24000/1001"));
    connect(rate, &QLineEdit::editingFinished, this, [this, id, rate] {
        document_.edit(tr("Set the source's frame rate"), [&](Project& p) -> Result<void> {
            GARLAND_TRY(r, parse_rate(rate->text().toStdString()));
            if (auto* s = p.source(id)) s->rate = r;
            return {};
        });
        if (const auto* s = document_.project().source(id)) rate->setText(QString::fromStdString(to_text(s->rate)));
    });
    auto* join = make_choice({tr("by clock"), tr("frame for frame")}, tr("Joins the project"),
                             tr("By clock: seconds agree. Frame for frame: every frame lasts one output frame."),
                             [this, id](int i) {
                                 document_.edit(tr("Set how the source joins"), [&](Project& p) -> Result<void> {
                                     p.source(id)->join = static_cast<Join>(i);
                                     return {};
                                 });
                             });
    join->setCurrentIndex(static_cast<int>(spec.join));
    auto* first = make_number(Quantity::source_frames, -1e9, 1e9, 0, tr("First frame"),
                              tr("What the first frame is called here"));
    first->set_value(static_cast<double>(spec.first.value_or(there ? open->second.source->facts().first : 0)));
    connect(first, &NumberField::edited, this, [this, id](double v) {
        document_.edit(
            tr("Set the source's first frame"),
            [&](Project& p) -> Result<void> {
                p.source(id)->first = static_cast<std::int64_t>(v);
                return {};
            },
            "first-frame");
    });
    auto* sub = make_choice({tr("nearest"), tr("linear"), tr("smooth")}, tr("Between frames"),
                            tr("How a pose between two frames is made. Smooth follows the velocities, or goes through the "
                               "frames on both sides where there are none."),
                            [this, id](int i) {
                                document_.edit(tr("Set poses between frames"), [&](Project& p) -> Result<void> {
                                    p.source(id)->sub_frame = static_cast<SubFrame>(i);
                                    return {};
                                });
                            });
    sub->setCurrentIndex(static_cast<int>(spec.sub_frame));
    form->addWidget(make_label(tr("Rate")), 0, 0);
    form->addWidget(rate, 0, 1);
    form->addWidget(make_label(tr("First frame")), 0, 2);
    form->addWidget(first, 0, 3);
    form->addWidget(make_label(tr("Joins")), 1, 0);
    form->addWidget(join, 1, 1);
    form->addWidget(make_label(tr("Between frames")), 1, 2);
    form->addWidget(sub, 1, 3);
    auto* up = make_choice({tr("y up"), tr("z up")}, tr("Up axis"), tr("Which way is up in the files; scenes have y up"),
                           [this, id](int i) {
                               document_.edit(tr("Set the source's up axis"), [&](Project& p) -> Result<void> {
                                   p.source(id)->up = static_cast<UpAxis>(i);
                                   return {};
                               });
                           });
    up->setCurrentIndex(static_cast<int>(spec.up));
    auto* scale = make_number(Quantity::plain, 1e-6, 1e6, 6, tr("Scale"), tr("Metres in one unit of the files: 0.01 for centimetres"));
    scale->set_step(0.1);
    scale->set_value(spec.scale);
    connect(scale, &NumberField::edited, this, [this, id](double v) {
        document_.edit(
            tr("Set the source's scale"),
            [&](Project& p) -> Result<void> {
                p.source(id)->scale = v;
                return {};
            },
            "source-scale");
    });
    form->addWidget(make_label(tr("Files have")), 2, 0);
    form->addWidget(up, 2, 1);
    form->addWidget(make_label(tr("Scale")), 2, 2);
    form->addWidget(scale, 2, 3);
    if (there && !open->second.source->facts().missing.empty()) {
        auto* gaps = make_choice({tr("hold the frame before"), tr("blend across")}, tr("Missing frames"),
                                 tr("What stands in for frames that are not there"), [this, id](int i) {
                                     document_.edit(tr("Set how gaps are bridged"), [&](Project& p) -> Result<void> {
                                         p.source(id)->gaps = static_cast<GapMend>(i);
                                         return {};
                                     });
                                 });
        gaps->setCurrentIndex(static_cast<int>(spec.gaps));
        form->addWidget(make_label(tr("Missing frames")), 3, 0);
        form->addWidget(gaps, 3, 1, 1, 3);
    }
    form->setColumnStretch(4, 1);
    column->addLayout(form);
    return card;
}

} // namespace garland
