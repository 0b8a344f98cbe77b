#include "app/shell/preferences_dialog.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "io/sources/converted.h"

#include <QAudioDevice>

#include <QCheckBox>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QMediaDevices>
#include <QTabWidget>

namespace garland {

namespace {

QFormLayout* form_of(QWidget* page) {
    auto* form = new QFormLayout(page);
    form->setContentsMargins(16, 16, 16, 16);
    form->setSpacing(10);
    form->setFieldGrowthPolicy(QFormLayout::ExpandingFieldsGrow);
    return form;
}

QString words_of(const Error& error) {
    return QString::fromStdString(describe(error));
}

} // namespace

PreferencesDialog::PreferencesDialog(QWidget* parent) : QDialog(parent), now_(Preferences::load()) {
    setWindowTitle(tr("Preferences"));
    auto* column = new QVBoxLayout(this);
    auto* tabs = new QTabWidget;
    tabs->addTab(make_appearance(), tr("Appearance"));
    tabs->addTab(make_work(), tr("Work"));
    tabs->addTab(make_readers(), tr("Readers by command"));
    column->addWidget(tabs, 1);
    auto* kept = make_label(tr("Kept in %1").arg(Preferences::file()), "muted");
    kept->setTextInteractionFlags(Qt::TextSelectableByMouse);
    kept->setWordWrap(true);
    column->addWidget(kept);
    auto* buttons = new QDialogButtonBox;
    buttons->addButton(tr("Close"), QDialogButtonBox::RejectRole);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    column->addWidget(buttons);
    resize(620, 440);
}

void PreferencesDialog::apply(const std::function<void(Preferences&)>& change) {
    Preferences next = now_;
    change(next);
    if (next == now_) return;
    now_ = next;
    now_.save();
    emit changed(now_);
}

QWidget* PreferencesDialog::make_appearance() {
    auto* page = new QWidget;
    auto* form = form_of(page);
    auto* theme = make_choice({tr("Dark (Night canal)"), tr("Light (Paper)"), tr("As the desktop")}, tr("Theme"),
                              tr("How the window looks; as the desktop: dark or light as that is"), [this](int index) {
                                  apply([&](Preferences& p) { p.theme = static_cast<Theme>(index); });
                              });
    theme->setCurrentIndex(static_cast<int>(now_.theme));
    form->addRow(tr("Theme"), theme);
    auto* text = make_number(Quantity::plain, 7, 18, 1, tr("Text size"), tr("Points; usually 9"));
    text->set_value(now_.text_points);
    connect(text, &NumberField::settled, this,
            [this, text] { apply([&](Preferences& p) { p.text_points = text->value(); }); });
    form->addRow(tr("Text size (points)"), text);
    auto* start = new QCheckBox(tr("Offer samples and recent projects"));
    start->setAccessibleName(tr("Offer samples and recent projects"));
    start->setToolTip(tr("An empty window shows them; otherwise it opens on the Gather step"));
    start->setChecked(now_.start_page);
    connect(start, &QCheckBox::toggled, this, [this](bool on) { apply([&](Preferences& p) { p.start_page = on; }); });
    form->addRow(tr("At the start"), start);
    return page;
}

QWidget* PreferencesDialog::make_work() {
    auto* page = new QWidget;
    auto* form = form_of(page);
    auto number = [&](const QString& label, const QString& tip, double low, double high, int decimals, double value,
                      auto take) {
        auto* field = make_number(Quantity::plain, low, high, decimals, label, tip);
        field->set_value(value);
        connect(field, &NumberField::settled, this,
                [this, take, field] { apply([&](Preferences& p) { take(p, field->value()); }); });
        form->addRow(label, field);
        return field;
    };
    number(tr("Pose cache (GB)"), tr("Memory for poses; 0: as much as suits this machine"), 0, 1000, 1, now_.cache_gb,
           [](Preferences& p, double v) { p.cache_gb = v; })
        ->set_word(0, tr("automatic"));
    number(tr("Keep unsaved work after (s)"), tr("Seconds from an edit to the copy that survives a crash"), 5, 600, 0,
           now_.autosave_seconds, [](Preferences& p, double v) { p.autosave_seconds = static_cast<int>(v); });
    number(tr("Undo steps"), tr("How many changes can be undone; 0: all. Counts from the next project that is opened"),
           0, 100'000, 0, now_.undo_steps, [](Preferences& p, double v) { p.undo_steps = static_cast<int>(v); })
        ->set_word(0, tr("all"));
    auto* rate = new QLineEdit(QString::fromStdString(to_text(now_.rate)));
    rate->setAccessibleName(tr("Rate of new projects"));
    rate->setToolTip(tr("Output frames per second, as in 24, 25 or 24000/1001"));
    words_ = make_label({}, "muted");
    words_->setWordWrap(true);
    connect(rate, &QLineEdit::editingFinished, this, [this, rate] {
        const auto read = parse_rate(rate->text().toStdString());
        if (!read) return tell(words_of(read.error()), true);
        tell({}, false);
        apply([&](Preferences& p) { p.rate = *read; });
    });
    form->addRow(tr("Rate of new projects (fps)"), rate);

    QStringList devices{tr("The system's")};
    for (const QAudioDevice& d : QMediaDevices::audioOutputs()) devices << d.description();
    if (!now_.sound_device.isEmpty() && !devices.contains(now_.sound_device)) devices << now_.sound_device;
    auto* sound = make_choice(devices, tr("Sound device"), tr("Where sounds are heard"), [this, devices](int index) {
        apply([&](Preferences& p) { p.sound_device = index == 0 ? QString() : devices[index]; });
    });
    sound->setCurrentIndex(std::max(0, static_cast<int>(devices.indexOf(now_.sound_device))));
    form->addRow(tr("Sound device"), sound);
    form->addRow(words_);
    return page;
}

QWidget* PreferencesDialog::make_readers() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(16, 16, 16, 16);
    auto* about =
        make_label(tr("A program of yours can turn files that Garland does not read into USD, glTF, a PLY series or a "
                      "NumPy array. It runs when such a file is opened, and once for each file."),
                   "muted");
    about->setWordWrap(true);
    column->addWidget(about);
    table_ = new QTableWidget(0, 4);
    table_->setAccessibleName(tr("Readers by command"));
    table_->setHorizontalHeaderLabels({tr("Ending"), tr("Writes"), tr("Command"), tr("Limit (s)")});
    table_->verticalHeader()->hide();
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    column->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    auto* add = make_button(tr("Add…"), tr("Add a reader for another file ending"));
    auto* change = make_button(tr("Change…"), tr("Change the selected reader"));
    auto* remove = make_button(
        tr("Remove"), tr("Remove the selected reader; files it has read already stay readable while it is set again"));
    connect(add, &QPushButton::clicked, this, [this] { edit_reader(-1); });
    connect(change, &QPushButton::clicked, this, [this] { edit_reader(table_->currentRow()); });
    connect(remove, &QPushButton::clicked, this, &PreferencesDialog::remove_reader);
    connect(table_, &QTableWidget::cellDoubleClicked, this, [this](int at) { edit_reader(at); });
    for (auto* b : {add, change, remove}) row->addWidget(b);
    row->addStretch(1);
    cached_ = make_label({}, "muted");
    row->addWidget(cached_);
    auto* clear =
        make_button(tr("Clear"), tr("Remove what the readers have written; it is made again when a file is opened"));
    connect(clear, &QPushButton::clicked, this, [this] {
        clear_converted();
        fill_readers();
    });
    row->addWidget(clear);
    column->addLayout(row);
    if (auto all = load_reader_commands()) {
        readers_ = std::move(*all);
    } else {
        about->setText(words_of(all.error()));
        page->setEnabled(false); // the file is the user's: nothing is written over it
    }
    fill_readers();
    return page;
}

void PreferencesDialog::fill_readers() {
    table_->setRowCount(static_cast<int>(readers_.size()));
    for (int i = 0; i < table_->rowCount(); ++i) {
        const ReaderCommand& r = readers_[static_cast<std::size_t>(i)];
        const QString cells[] = {QString::fromStdString(r.ending), QString::fromStdString(r.as),
                                 QString::fromStdString(command_line(r.command)), number_text(r.limit)};
        for (int c = 0; c < 4; ++c) {
            auto* item = new QTableWidgetItem(cells[c]);
            item->setToolTip(cells[c]);
            table_->setItem(i, c, item);
        }
    }
    const ConvertedUse use = converted_use();
    cached_->setText(tr("kept: %1, %2")
                         .arg(QString::fromStdString(counted(static_cast<long long>(use.files), "file", "files")),
                              QString::fromStdString(byte_count(use.bytes))));
}

void PreferencesDialog::edit_reader(int row) {
    ReaderCommand one;
    if (row >= 0 && row < static_cast<int>(readers_.size())) {
        one = readers_[static_cast<std::size_t>(row)];
    } else if (row >= 0) {
        return;
    }
    if (!ask_for_reader(this, one)) return;
    std::vector<ReaderCommand> all = readers_;
    if (row >= 0) {
        all[static_cast<std::size_t>(row)] = one;
    } else {
        all.push_back(one);
    }
    if (auto saved = save_reader_commands(all); !saved) return tell(words_of(saved.error()), true);
    readers_ = *load_reader_commands();
    fill_readers();
}

void PreferencesDialog::remove_reader() {
    const int row = table_->currentRow();
    if (row < 0 || row >= static_cast<int>(readers_.size())) return;
    std::vector<ReaderCommand> all = readers_;
    all.erase(all.begin() + row);
    if (auto saved = save_reader_commands(all); !saved) return tell(words_of(saved.error()), true);
    readers_ = std::move(all);
    fill_readers();
}

void PreferencesDialog::tell(const QString& words, bool wrong) {
    words_->setObjectName(wrong ? "alert" : "muted");
    words_->setText(words);
    words_->style()->unpolish(words_);
    words_->style()->polish(words_);
}

bool ask_for_reader(QWidget* parent, ReaderCommand& reader) {
    QDialog box(parent);
    box.setWindowTitle(QObject::tr("Reader by command"));
    auto* form = form_of(&box);
    auto line = [&](const QString& label, const QString& text, const QString& tip) {
        auto* edit = new QLineEdit(text);
        edit->setAccessibleName(label);
        edit->setToolTip(tip);
        form->addRow(label, edit);
        return edit;
    };
    auto* ending = line(QObject::tr("File ending"), QString::fromStdString(reader.ending),
                        QObject::tr("With its point, in small letters: .lamps"));
    auto* command = line(QObject::tr("Command"), QString::fromStdString(command_line(reader.command)),
                         QObject::tr("The program and its words. {in} is the file to read, {out} the one to write"));
    command->setPlaceholderText("lamps2usd {in} {out}");
    auto* as = new QComboBox;
    as->setAccessibleName(QObject::tr("Writes"));
    as->setToolTip(
        QObject::tr("For ply and npy, {out} is a path without ending: {out}.0001.ply …, {out}.npy with {out}.ply"));
    for (const std::string& format : reader_command_formats()) as->addItem(QString::fromStdString(format));
    as->setCurrentText(QString::fromStdString(reader.as));
    form->addRow(QObject::tr("Writes"), as);
    auto* limit =
        make_number(Quantity::plain, 1, 1e6, 0, QObject::tr("Time limit"), QObject::tr("Seconds until it is stopped"));
    limit->set_value(reader.limit);
    form->addRow(QObject::tr("Time limit (s)"), limit);
    auto* wrong = make_label({}, "alert");
    wrong->setWordWrap(true);
    form->addRow(wrong);
    auto* buttons = new QDialogButtonBox;
    buttons->addButton(QObject::tr("OK"), QDialogButtonBox::AcceptRole);
    buttons->addButton(QObject::tr("Cancel"), QDialogButtonBox::RejectRole);
    form->addRow(buttons);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &box, &QDialog::reject);
    QObject::connect(buttons, &QDialogButtonBox::accepted, &box, [&] {
        ReaderCommand next{ending->text().trimmed().toStdString(), {}, as->currentText().toStdString(), limit->value()};
        auto words = command_words(command->text().toStdString());
        if (!words) return wrong->setText(words_of(words.error()));
        next.command = std::move(*words);
        if (auto fine = check_reader_command(next); !fine) return wrong->setText(words_of(fine.error()));
        reader = std::move(next);
        box.accept();
    });
    box.resize(480, box.sizeHint().height());
    return box.exec() == QDialog::Accepted;
}

} // namespace garland
