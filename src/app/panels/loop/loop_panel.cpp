#include "app/panels/loop/loop_panel.h"

#include "app/panels/loop/found_loops.h"
#include "app/theme/number_text.h"
#include "core/base/numbers.h"

#include <QSignalBlocker>

namespace garland {

namespace {

constexpr int first_look = 512; // points
constexpr std::int64_t most_frames = 2000;

struct Looked {
    std::shared_ptr<const FrameMatrix> matrix;
    std::size_t every = 1; // one point in so many
};

} // namespace

LoopPanel::LoopPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Loop"), true, document, viewing, parent) {
    source_box_ = make_choice({}, tr("Source"), tr("The source whose range is closed"), [this](int) {
        found_.clear();
        refresh();
        look();
    });
    head()->addWidget(source_box_);
    add_matches();
    add_own_line();
    make_closing_card();
    body()->addStretch(1);

    auto follow = [this] {
        refresh();
        if (isVisible()) look();
    };
    connect(&document_, &Document::changed, this, follow);
    connect(&document_, &Document::sources_changed, this, follow);
    connect(&document_, &Document::opened, this, [this] {
        looked_at_ = {};
        found_.clear();
        matrix_.reset();
        seam_.reset();
        draft_for_ = {};
        match_->set_matrix(nullptr);
        refresh();
    });
    refresh();
}

// The picture of all pairs of poses, and beside it what is looked for and what was found.
void LoopPanel::add_matches() {
    auto* top = new QHBoxLayout;
    top->setSpacing(12);
    match_ = new MatchView;
    match_->setFixedSize(258, 242);
    connect(match_, &MatchView::chosen, this, &LoopPanel::choose);
    top->addWidget(match_);
    auto* side = new QVBoxLayout;
    side->setSpacing(5);
    add_wishes(side);
    rigid_ = new QCheckBox(tr("ignore position and rotation"));
    rigid_->setToolTip(
        tr("Takes out the rigid motion that two poses have in common before they are compared (slower)"));
    connect(rigid_, &QCheckBox::clicked, this, &LoopPanel::look);
    side->addWidget(rigid_);
    looked_ = make_label({}, "muted");
    looked_->setWordWrap(true);
    side->addWidget(looked_);
    list_ = new FoundLoops;
    connect(list_, &FoundLoops::chosen, this, &LoopPanel::choose);
    side->addWidget(list_);
    none_ = make_label(tr("No loop of that length found."), "muted");
    none_->hide();
    side->addWidget(none_);
    side->addStretch(1);
    top->addLayout(side, 1);
    body()->addLayout(top);
}

void LoopPanel::add_wishes(QVBoxLayout* side) {
    auto* wish = new QHBoxLayout;
    wish->setSpacing(6);
    shortest_ = make_number(Quantity::source_frames, 1, 1e6, 0, tr("Shortest loop"),
                            tr("Loops of fewer frames are not looked for"));
    longest_ = make_number(Quantity::source_frames, 0, 1e6, 0, tr("Longest loop"),
                           tr("Loops of more frames are not looked for; 0: as long as there are frames"));
    settle_ = make_number(Quantity::source_frames, 0, 1e6, 0, tr("Skip first"),
                          tr("Frames at the source's start that are left out, while it still settles"));
    longest_->set_word(0, tr("any"));
    shortest_->set_value(12);
    for (NumberField* f : {shortest_, longest_, settle_}) {
        f->setMaximumWidth(54);
        connect(f, &NumberField::edited, this, &LoopPanel::find);
    }
    wish->addWidget(make_label(tr("Length")));
    wish->addWidget(shortest_);
    wish->addWidget(make_label(tr("to")));
    wish->addWidget(longest_);
    wish->addWidget(make_label(tr("skip")));
    wish->addWidget(settle_);
    wish->addStretch(1);
    side->addLayout(wish);
}

// A source that loops as it is.
void LoopPanel::add_own_line() {
    own_line_ = make_card();
    auto* own = new QHBoxLayout(own_line_);
    own->setContentsMargins(12, 8, 12, 8);
    own_words_ = make_label({}, "ok");
    own_words_->setWordWrap(true);
    own->addWidget(own_words_, 1);
    auto* repeat =
        make_button(tr("Let it repeat"), tr("Timings that play all of it repeat it before and after, without end"));
    repeat->setObjectName("primary");
    connect(repeat, &QPushButton::clicked, this, &LoopPanel::repeat_it);
    own->addWidget(repeat);
    own_line_->hide();
    body()->addWidget(own_line_);
}

SourceId LoopPanel::source() const {
    return SourceId(source_box_->currentData().toULongLong());
}

const SourceSpec* LoopPanel::spec() const {
    return document_.project().source(source());
}

const OpenSource* LoopPanel::open() const {
    const auto found = document_.library().open().find(source());
    return found == document_.library().open().end() || !found->second.source ? nullptr : &found->second;
}

std::optional<Sampler> LoopPanel::sampler() const {
    const OpenSource* o = open();
    if (!o || !spec()) return std::nullopt;
    return open_sampler(*spec(), *o, document_.library().cache());
}

void LoopPanel::entered() {
    const SourceId current = viewing_.source();
    if (const int at = source_box_->findData(QVariant::fromValue<qulonglong>(current.value)); at >= 0 && found_.empty())
        source_box_->setCurrentIndex(at);
    refresh();
    look();
}

void LoopPanel::refresh() {
    const QVariant chosen = source_box_->currentData();
    {
        const QSignalBlocker quiet(source_box_);
        source_box_->clear();
        for (const SourceSpec& s : document_.project().sources)
            source_box_->addItem(QString::fromStdString(s.name), QVariant::fromValue<qulonglong>(s.id.value));
        source_box_->setCurrentIndex(std::max(0, source_box_->findData(chosen)));
    }
    source_box_->setVisible(!document_.project().sources.empty());
    const SourceSpec* s = spec();
    if (!(draft_for_ == source())) { // another source: nothing is chosen yet
        draft_for_ = source();
        draft_ = {};
        seam_.reset();
        if (measuring_) measuring_->drop();
        match_->set_chosen(0, 0);
        ends_->clear();
        ends_words_->clear();
        problem_->hide();
        show_seam();
    }
    if (s && s->closing && !(draft_ == *s->closing)) {
        draft_ = *s->closing;
        measure();
    }
    const bool closed = s && s->closing.has_value();
    if (draft_.length > 1 || closed) match_->set_chosen(draft_.start, draft_.length);
    fields_->refresh(draft_);
    close_->setVisible(!closed);
    close_->setEnabled(s && open() && draft_.length > 1);
    again_->setVisible(closed);
    across_->setEnabled(closed);
    state_->setText(!s       ? tr("Gather a source first.")
                    : closed ? tr("Closed: frames %1 to %2, %3 long; its timings repeat it.")
                                   .arg(draft_.start)
                                   .arg(draft_.start + draft_.length)
                                   .arg(draft_.length)
                    : draft_.length > 1 ? tr("Not closed yet: frames %1 to %2, %3 long.")
                                              .arg(draft_.start)
                                              .arg(draft_.start + draft_.length)
                                              .arg(draft_.length)
                                        : tr("Choose a loop in the list or click the picture."));
    emit badge(0);
}

// A picture of a few points is there at once; the one that decides, of all of them, follows.
void LoopPanel::look() {
    const auto from = sampler();
    if (!from) {
        matrix_.reset();
        found_.clear();
        match_->set_matrix(nullptr);
        match_->set_words(document_.project().sources.empty()
                              ? tr("Add a source first. Its frames are then compared with each other here.")
                              : tr("Its files are missing."));
        show_found();
        return;
    }
    const bool same = looked_at_ == source() && looked_serial_ == open()->serial &&
                      looked_settings_ == from->import_settings() && looked_rigid_ == rigid_->isChecked();
    if (same) return;
    looked_at_ = source();
    looked_serial_ = open()->serial;
    looked_settings_ = from->import_settings();
    looked_rigid_ = rigid_->isChecked();
    forget();
    const SourceFacts& f = from->source()->facts();
    if (f.frames() < 3 || f.frames() > most_frames) {
        match_->set_words(f.frames() < 3 ? tr("A loop needs more than two frames.")
                                         : tr("%1 frames are too many to compare each with every other; leave some "
                                              "out, or set start and length below.")
                                               .arg(f.frames()));
        return;
    }
    match_->set_words(tr("Comparing poses …"));
    compare(*from);
}

void LoopPanel::forget() {
    if (looking_) looking_->drop();
    if (finding_) finding_->drop();
    exact_ = false;
    found_.clear();
    matrix_.reset();
    match_->set_matrix(nullptr);
    show_found();
}

void LoopPanel::compare(const Sampler& sampler) {
    auto compare = [this, from = sampler, rigid = rigid_->isChecked()](int most,
                                                                       std::function<void(Result<Looked>)> done) {
        looking_ = document_.jobs().start<Looked>(
            this, tr("Comparing poses"),
            [from, rigid, most](Progress& p) -> Result<Looked> {
                const SourceFacts& facts = from.source()->facts();
                PartOf reading(p, 0, 0.6), comparing(p, 0.6, 1);
                GARLAND_TRY(rows,
                            signatures_of(from, facts.first, facts.last, static_cast<std::size_t>(most), reading));
                GARLAND_TRY(matrix, distances(rows, rigid, comparing));
                return Looked{std::make_shared<const FrameMatrix>(std::move(matrix)), rows.every};
            },
            std::move(done), most > 0 ? JobKind::interactive : JobKind::lasting);
    };
    auto take = [this](const Looked& looked, bool last) {
        matrix_ = looked.matrix;
        exact_ = last || looked.every == 1;
        every_ = looked.every;
        match_->set_matrix(matrix_);
        find();
    };
    auto failed = [this](const Error& error) {
        if (error.code == ErrorCode::cancelled) return;
        match_->set_words(QString::fromStdString(describe(error)));
        looked_at_ = {};
    };
    compare(first_look, [this, compare, take, failed](Result<Looked> first) {
        if (!first) return failed(first.error());
        take(*first, false);
        if (exact_) return;
        compare(0, [take, failed](Result<Looked> all) {
            if (!all) return failed(all.error());
            take(*all, true);
        });
    });
}

void LoopPanel::find() {
    if (!matrix_) return show_found();
    LoopWish wish;
    wish.shortest = static_cast<std::int64_t>(shortest_->value());
    wish.longest = static_cast<std::int64_t>(longest_->value());
    wish.settle = static_cast<std::int64_t>(settle_->value());
    wish.most = 5;
    if (finding_) finding_->drop();
    using Found = std::vector<LoopCandidate>;
    finding_ = document_.jobs().start<Found>( // two thousand frames have two million candidates
        this, tr("Looking for loops"),
        [matrix = matrix_, wish](Progress& p) -> Result<Found> { return find_loops(*matrix, wish, p); },
        [this](Result<Found> found) {
            if (!found) return; // a newer one was asked for
            finding_ = nullptr;
            found_ = std::move(*found);
            show_found();
            if (!found_.empty() && draft_.length <= 1) choose(found_.front().start, found_.front().length);
        },
        JobKind::interactive);
    show_found();
}

void LoopPanel::repeat_it() {
    const SourceSpec* s = spec();
    if (!own_ || !s || !open()) return;
    const SourceFacts& f = open()->source->facts();
    const SourceClock clock = clock_of(*s, f.first, f.last, document_.project().settings.rate);
    Repeated done;
    const bool changed = document_.edit(
        tr("Repeat \"%1\" as it is").arg(QString::fromStdString(s->name)), [&](Project& p) -> Result<void> {
            GARLAND_TRY(repeated, repeat_as_it_is(p, source(), own_->last_is_first, clock));
            done = repeated;
            return {};
        });
    if (done.timings.empty()) {
        emit document_.hint(
            tr("No timing plays all of it, so none was changed: set before and after in the Retime step"));
    } else if (!changed) {
        emit document_.hint(tr("Its timings repeat it already"));
    }
}

void LoopPanel::show_found() {
    match_->set_candidates(found_);
    if (!matrix_) list_->set_loops({}, {});
    none_->hide();
    own_ = matrix_ && spec() && !spec()->closing ? own_loop(*matrix_) : std::nullopt;
    own_line_->setVisible(own_.has_value());
    if (own_) {
        own_words_->setText(tr("It loops as it is: frames %1 to %2, %3%4. Nothing needs closing.")
                                .arg(matrix_->first)
                                .arg(matrix_->first + static_cast<std::int64_t>(matrix_->frames) - 1)
                                .arg(tr("period %1 frames").arg(own_->period),
                                     own_->last_is_first ? tr(", its last pose is its first") : QString()));
    }
    if (!matrix_) return looked_->setText({});
    const QString frames = QString::fromStdString(counted(static_cast<long long>(matrix_->frames), "frame", "frames")),
                  step = distance_words(matrix_->usual_step(), matrix_->unit);
    looked_->setText(
        every_ == 1 ? tr("%1 compared, all points; usual step %2.").arg(frames, step)
        : exact_    ? tr("%1 compared, 1 point in %2; usual step %3.").arg(frames).arg(every_).arg(step)
                    : tr("Quick comparison of %1; the full comparison is running. Usual step %2.").arg(frames, step));
    none_->setVisible(found_.empty() && !finding_);
    list_->set_loops(found_, matrix_->unit);
    list_->set_chosen(draft_.start, draft_.length);
}

void LoopPanel::choose(std::int64_t start, std::int64_t length) {
    set(tr("Loop from frame %1 over %2 frames").arg(start).arg(length), [&](Closing& c) {
        c.start = start, c.length = length;
        c.way = wanted_way_;
        c.overlap = std::clamp<std::int64_t>(wanted_overlap_, 1, length);
        const auto from = sampler();
        if (c.way == ClosingWay::end_fade && from) { // as far back as there are frames; without any, no fade
            const std::int64_t room = start - from->source()->facts().first;
            if (room < c.overlap) c.overlap = std::max<std::int64_t>(room, 1);
            if (room < 1) c.way = ClosingWay::half_shift;
        }
    });
    show_found();
}

void LoopPanel::set(const QString& words, const std::function<void(Closing&)>& change) {
    Closing next = draft_;
    change(next);
    next.overlap = std::clamp<std::int64_t>(next.overlap, 1, std::max<std::int64_t>(next.length, 1));
    const SourceSpec* s = spec();
    if (s && s->closing && open()) { // what is closed follows at once
        const SourceFacts& f = open()->source->facts();
        if (!document_.edit(
                words, [&](Project& p) { return close_source(p, source(), next, f.first, f.last); }, "closing"))
            return refresh();
        draft_ = next;
    } else {
        draft_ = next;
    }
    refresh();
    measure();
}

void LoopPanel::close_it() {
    if (!open() || !spec()) return;
    const SourceFacts& f = open()->source->facts();
    document_.edit(
        tr("Close \"%1\" into a loop of %2 frames").arg(QString::fromStdString(spec()->name)).arg(draft_.length),
        [&](Project& p) { return close_source(p, source(), draft_, f.first, f.last); });
}

void LoopPanel::open_again() {
    if (!open() || !spec()) return;
    const SourceFacts& f = open()->source->facts();
    document_.edit(tr("Open the loop of \"%1\"").arg(QString::fromStdString(spec()->name)),
                   [&](Project& p) { return open_source_again(p, source(), f.first, f.last); });
}

} // namespace garland
