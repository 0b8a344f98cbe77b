#include "app/shell/start_page.h"

#include "app/theme/tokens.h"
#include "app/widgets/parts.h"

#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>
#include <QGridLayout>
#include <QLocale>
#include <QPainter>
#include <QScrollArea>
#include <QSettings>
#include <QStandardPaths>
#include <QToolButton>

namespace garland {

namespace {

constexpr QSize picture_size(112, 70);
constexpr int most_recent = 10, shown_recent = 6;

QString picture_file(const QString& path) {
    const QByteArray name = QCryptographicHash::hash(path.toUtf8(), QCryptographicHash::Sha1).toHex();
    return QStandardPaths::writableLocation(QStandardPaths::GenericCacheLocation) + "/garland/recent/" +
           QString::fromLatin1(name) + ".png";
}

} // namespace

QStringList recent_projects() {
    return QSettings().value("recent").toStringList();
}

void remember_recent_project(const QString& path) {
    QStringList recent = recent_projects();
    const QString full = QFileInfo(path).absoluteFilePath();
    recent.removeAll(full);
    recent.prepend(full);
    QSettings().setValue("recent", recent.mid(0, most_recent));
}

void forget_recent_project(const QString& path) {
    QStringList recent = recent_projects();
    recent.removeAll(path);
    QSettings().setValue("recent", recent);
    QFile::remove(picture_file(path));
}

QImage recent_picture(const QString& path) {
    return QImage(picture_file(path));
}

void keep_recent_picture(const QString& path, const QImage& picture) {
    if (picture.isNull()) return;
    const QString file = picture_file(QFileInfo(path).absoluteFilePath());
    QDir().mkpath(QFileInfo(file).path());
    const QSize twice = picture_size * 2; // sharp on dense screens
    QImage small = picture.scaled(twice, Qt::KeepAspectRatioByExpanding, Qt::SmoothTransformation);
    small.setDevicePixelRatio(1);
    small
        .copy((small.width() - twice.width()) / 2, (small.height() - twice.height()) / 2, twice.width(), twice.height())
        .save(file, "PNG");
}

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
    setObjectName("pane");
    setAttribute(Qt::WA_StyledBackground);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    outer->addWidget(scroll);
    auto* inside = new QWidget;
    scroll->setWidget(inside);
    auto* column = new QVBoxLayout(inside);
    column->setContentsMargins(48, 32, 48, 32);
    column->setSpacing(16);
    column->addWidget(make_label(tr("Start"), "title"));
    auto* about = make_label(tr("Bring baked motion, give it another time, string it over copies so that no two move "
                                "alike, and write the result."),
                             "muted");
    about->setWordWrap(true);
    column->addWidget(about);
    auto* sides = new QHBoxLayout;
    sides->setSpacing(48);
    auto* left = new QVBoxLayout;
    left->setSpacing(10);
    left->addLayout(make_files());
    left->addSpacing(16);
    left->addLayout(make_samples());
    left->addStretch(1);
    sides->addLayout(left, 1);
    recent_ = new QVBoxLayout;
    recent_->setSpacing(6);
    sides->addLayout(recent_, 1);
    column->addLayout(sides);
    column->addStretch(1);
    refresh();
}

QLayout* StartPage::make_files() {
    auto* column = new QVBoxLayout;
    column->setSpacing(8);
    column->addWidget(make_label(tr("Your own"), "heading"));
    auto* drop =
        make_label(tr("Drop files here: a numbered series, a USD, glTF or OpenVDB file, an array with its mesh, "
                      "or a project."));
    drop->setWordWrap(true);
    auto* zone = new QFrame;
    zone->setObjectName("drop");
    auto* inside = new QVBoxLayout(zone);
    inside->setContentsMargins(16, 20, 16, 20);
    inside->addWidget(drop);
    column->addWidget(zone);
    auto* row = new QHBoxLayout;
    auto* gather = make_button(tr("Gather a cache…"), tr("Choose files of a source (Ctrl+G)"));
    gather->setObjectName("primary");
    auto* project = make_button(tr("Open a project…"), tr("Choose a project (Ctrl+O)"));
    auto* empty = make_button(tr("Start empty"), tr("Go to the Gather step of an empty project"));
    connect(gather, &QPushButton::clicked, this, &StartPage::choose_files);
    connect(project, &QPushButton::clicked, this, &StartPage::choose_project);
    connect(empty, &QPushButton::clicked, this, &StartPage::start_empty);
    for (auto* b : {gather, project, empty}) row->addWidget(b);
    row->addStretch(1);
    column->addLayout(row);
    return column;
}

QLayout* StartPage::make_samples() {
    struct Sample {
        const char* name;
        QString title, words;
    };
    const Sample samples[] = {
        {"festival", tr("Lantern festival"), tr("Sixty paper lanterns along both quays, each with its own delay")},
        {"quay", tr("The quay at night"), tr("A source of every kind: meshes, pieces, particles, a volume, water")},
        {"canal", tr("Along the canal"), tr("Copies of every kind of arrangement")},
        {"dusk", tr("Dusk on the canal"), tr("Copies played by zones, a pulse and a tune")}};
    auto* column = new QVBoxLayout;
    column->setSpacing(8);
    column->addWidget(make_label(tr("Open a sample"), "heading"));
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(8);
    int row = 0;
    for (const Sample& s : samples) {
        auto* open = make_button(s.title, tr("Open this sample; its data is made the first time, with progress"));
        connect(open, &QPushButton::clicked, this, [this, name = QString::fromLatin1(s.name)] { emit sample(name); });
        auto* words = make_label(s.words, "muted");
        words->setWordWrap(true);
        grid->addWidget(open, row, 0);
        grid->addWidget(words, row++, 1);
    }
    grid->setColumnStretch(1, 1);
    column->addLayout(grid);
    return column;
}

void StartPage::refresh() {
    clear_layout(recent_);
    recent_->addWidget(make_label(tr("Opened before"), "heading"));
    const QStringList all = recent_projects();
    if (all.isEmpty()) recent_->addWidget(make_label(tr("Nothing yet."), "muted"));
    for (const QString& path : all.mid(0, shown_recent)) {
        const QFileInfo file(path);
        const bool there = file.exists();
        auto* entry = new QToolButton;
        entry->setObjectName("recent");
        entry->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
        entry->setAutoRaise(true);
        entry->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        constexpr int gap = 10; // between the picture and its words
        entry->setIconSize(picture_size + QSize(gap, 0));
        QImage image = recent_picture(path);
        if (image.isNull()) {
            image = QImage(picture_size, QImage::Format_RGB32);
            image.fill(tokens().raised);
        }
        const double dense = static_cast<double>(image.height()) / picture_size.height();
        QPixmap icon((QSizeF(picture_size + QSize(gap, 0)) * dense).toSize());
        icon.fill(Qt::transparent);
        QPainter(&icon).drawImage(0, 0, image);
        entry->setIcon(QIcon(icon));
        const QString folder = QFontMetrics(entry->font()).elidedText(file.path(), Qt::ElideMiddle, 300);
        entry->setText(
            file.completeBaseName() + '\n' + folder + '\n' +
            (there ? QLocale().toString(file.lastModified(), QLocale::ShortFormat) : tr("not there any more")));
        entry->setAccessibleName(tr("Open %1").arg(file.completeBaseName()));
        entry->setToolTip(there ? tr("Open %1").arg(path)
                                : tr("%1 is not there any more; click to remove it from this list").arg(path));
        if (!there) entry->setProperty("gone", true);
        connect(entry, &QToolButton::clicked, this, [this, path] {
            if (QFileInfo::exists(path)) return emit open(path);
            forget_recent_project(path);
            QMetaObject::invokeMethod(this, &StartPage::refresh, Qt::QueuedConnection);
        });
        recent_->addWidget(entry);
    }
    recent_->addStretch(1);
}

} // namespace garland
