#include "app/panels/gather/gather_panel.h"

#include "app/panels/gather/source_card.h"
#include "core/base/numbers.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"
#include "io/sources/reader_commands.h"

#include <QFileDialog>
#include <QGuiApplication>
#include <QTimer>

namespace garland {

GatherPanel::GatherPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Gather"), true, document, viewing, parent), pictures_(document) {
    auto* add = make_button(tr("Add…"), tr("Gather a cache from files (Ctrl+G), or drop files into the window"));
    add->setObjectName("primary");
    connect(add, &QPushButton::clicked, this, &GatherPanel::choose_files);
    head()->addWidget(add);
    auto* shapes = make_button(tr("Add shapes…"), tr("Combine several meshes with matching points into one source"));
    connect(shapes, &QPushButton::clicked, this, &GatherPanel::choose_shapes);
    head()->addWidget(shapes);
    auto* water = make_button(tr("Add water"), tr("A computed surface of waves that loops"));
    connect(water, &QPushButton::clicked, this, [this] {
        WaterSpec spec;
        spec.loop = document_.project().settings.range.count();
        document_.library().add_water(spec);
    });
    head()->addWidget(water);
    cards_ = new QVBoxLayout;
    cards_->setSpacing(10);
    body()->addLayout(cards_);
    body()->addStretch(1);
    connect(&document_, &Document::changed, this, &GatherPanel::rebuild);
    connect(&document_, &Document::sources_changed, this, &GatherPanel::rebuild);
    rebuild();
}

QString GatherPanel::file_filter() {
    QStringList patterns;
    for (const auto& ending : source_endings()) patterns << "*" + QString::fromStdString(ending);
    if (const auto by_command = load_reader_commands()) {
        for (const ReaderCommand& reader : *by_command) patterns << "*" + QString::fromStdString(reader.ending);
    }
    return tr("Caches (%1);;All files (*)").arg(patterns.join(' '));
}

void GatherPanel::choose_files() {
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Gather a cache"), {}, file_filter());
    for (const QString& file : files) document_.library().add(file);
}

void GatherPanel::choose_shapes() {
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Gather shapes, in this order"), {},
                                                            tr("Meshes (*.obj *.ply);;All files (*)"));
    if (!files.isEmpty()) document_.library().add_shapes(files);
}

void GatherPanel::find_file(SourceId id) {
    const QString file = QFileDialog::getOpenFileName(this, tr("Find the source's files"), {}, file_filter());
    if (!file.isEmpty()) document_.library().replace(id, file);
}

void GatherPanel::rebuild() {
    // A field that is being dragged must live until it is let go.
    if (QGuiApplication::mouseButtons() != Qt::NoButton) {
        if (!waiting_) QTimer::singleShot(40, this, [this] { waiting_ = false, rebuild(); });
        waiting_ = true;
        return;
    }
    // The field one types in is made anew; the keyboard stays with it, and so does what is typed and not yet taken.
    QString focused;
    int card_of_focus = -1;
    std::optional<QString> typed;
    if (QWidget* now = focusWidget(); now && now->hasFocus()) {
        focused = now->accessibleName();
        if (const auto* line = qobject_cast<QLineEdit*>(now); line && line->isModified()) typed = line->text();
        for (int i = 0; i < cards_->count(); ++i) {
            if (QWidget* card = cards_->itemAt(i)->widget(); card && card->isAncestorOf(now)) card_of_focus = i;
        }
    }
    fill();
    if (card_of_focus < 0 || card_of_focus >= cards_->count() || focused.isEmpty()) return;
    QWidget* card = cards_->itemAt(card_of_focus)->widget();
    for (QWidget* child : card ? card->findChildren<QWidget*>() : QList<QWidget*>{}) {
        if (child->accessibleName() != focused) continue;
        child->setFocus();
        if (auto* line = qobject_cast<QLineEdit*>(child); line && typed) {
            line->setText(*typed);
            line->setModified(true);
        }
        break;
    }
}

GatherPanel::Shown GatherPanel::shown_now(const SourceSpec& spec) const {
    Shown now{spec, nullptr, {}};
    if (const auto open = document_.library().open().find(spec.id); open != document_.library().open().end())
        now.source = open->second.source.get();
    for (const MissingSource& m : document_.library().missing()) {
        if (m.id == spec.id) now.problem = QString::fromStdString(describe(m.error));
    }
    return now;
}

SourceCard* GatherPanel::make_card_of(const SourceSpec& spec) {
    auto* card = new SourceCard(document_, pictures_, spec);
    connect(card, &SourceCard::find_asked, this, [this, id = spec.id] { find_file(id); });
    return card;
}

void GatherPanel::fill() {
    const Project& p = document_.project();
    int problems = 0;
    for (const auto& [id, open] : document_.library().open()) {
        if (p.source(id)) problems += static_cast<int>(open.source->facts().problems.size());
    }
    emit badge(problems + static_cast<int>(document_.library().missing().size()));
    set_note(p.sources.empty() ? QString() : QString::fromStdString(counted(p.sources.size(), "source", "sources")));
    std::vector<Shown> now;
    for (const SourceSpec& spec : p.sources) now.push_back(shown_now(spec));
    const bool same_sources = !now.empty() && now.size() == shown_.size() &&
                              std::equal(now.begin(), now.end(), shown_.begin(),
                                         [](const Shown& a, const Shown& b) { return a.spec.id == b.spec.id; });
    if (same_sources) {
        for (std::size_t i = 0; i < now.size(); ++i) {
            if (now[i] == shown_[i]) continue;
            QLayoutItem* old = cards_->takeAt(static_cast<int>(i));
            forget_typing(old->widget());
            old->widget()->hide();
            old->widget()->deleteLater();
            delete old;
            cards_->insertWidget(static_cast<int>(i), make_card_of(p.sources[i]));
        }
        shown_ = std::move(now);
        return;
    }
    shown_ = std::move(now);
    clear_layout(cards_);
    if (p.sources.empty()) {
        auto* words = make_label(
            tr("Drop files into this window, or click Add….\n\n"
               "Garland reads numbered OBJ or PLY series (give any one file), a mesh beside a NumPy array of points "
               "(name.ply and name.npy) or a table of pieces (name_pieces.csv), glTF, USD text, particles with ids "
               "(PLY, "
               "CSV or NumPy) and OpenVDB volumes. The files are only read, never changed.\n\n"
               "For hand-made poses use Add shapes, for computed waves Add water."),
            "muted");
        words->setWordWrap(true);
        cards_->addWidget(words);
        return;
    }
    for (const SourceSpec& spec : p.sources) cards_->addWidget(make_card_of(spec));
}

} // namespace garland
