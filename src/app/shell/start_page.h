// What an empty window shows: samples, a place to drop files, projects opened before. The notices above it offer work
// that was left unsaved.
#pragma once

#include <QImage>
#include <QLabel>
#include <QStringList>
#include <QVBoxLayout>
#include <QWidget>

namespace garland {

// Projects opened before, the newest first; ten at most.
QStringList recent_projects();
void remember_recent_project(const QString& path);
void forget_recent_project(const QString& path);
// A small picture of a project, kept in the cache folder; null where there is none.
QImage recent_picture(const QString& path);
void keep_recent_picture(const QString& path, const QImage& picture);

class StartPage : public QWidget {
    Q_OBJECT
  public:
    explicit StartPage(QWidget* parent = nullptr);
    void refresh(); // what was opened before may be another list

  signals:
    void sample(const QString& name);
    void open(const QString& path);
    void choose_project();
    void choose_files();
    void start_empty();

  private:
    QLayout* make_samples();
    QLayout* make_files();
    QVBoxLayout* recent_;
};

} // namespace garland
