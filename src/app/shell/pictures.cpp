// Pictures for notes: the Scene as it is seen, the lanes and the time map, copied or saved.
#include "app/lanes/lanes_view.h"
#include "app/panels/retime/retime_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/main_window.h"

#include <QClipboard>
#include <QFileDialog>
#include <QGuiApplication>
#include <QMenu>
#include <QPainter>
#include <QSaveFile>
#include <QSvgGenerator>

namespace garland {

namespace {

// A painted view as it stands, as SVG or PNG by the file's ending; false where the file could not be written.
bool save_view(QWidget& view, const QString& path) {
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly)) return false;
    if (path.endsWith(".svg", Qt::CaseInsensitive)) {
        QSvgGenerator svg;
        svg.setOutputDevice(&file);
        svg.setSize(view.size());
        svg.setViewBox(view.rect());
        svg.setTitle(view.accessibleName());
        QPainter painter(&svg);
        view.render(&painter, {}, {}, QWidget::DrawChildren);
        painter.end();
    } else {
        const qreal ratio = 2; // legible when it is enlarged
        QImage image(view.size() * ratio, QImage::Format_ARGB32);
        image.setDevicePixelRatio(ratio);
        image.fill(view.palette().color(QPalette::Window));
        view.render(&image, {}, {}, QWidget::DrawChildren);
        if (!image.save(&file, "PNG")) return false;
    }
    return file.commit();
}

} // namespace

void MainWindow::save_picture(QWidget& view, const QString& title, const QString& name) {
    QString path = QFileDialog::getSaveFileName(this, title, name, tr("SVG drawings (*.svg);;PNG pictures (*.png)"));
    if (path.isEmpty()) return;
    if (!path.contains('.')) path += ".svg";
    if (save_view(view, path)) {
        emit document_.hint(tr("%1 written").arg(path));
    } else {
        emit document_.problem(Error{ErrorCode::unreadable, "the picture could not be written"}
                                   .at(path.toStdString())
                                   .advise("choose another folder"));
    }
}

// Both poses for notes; works without graphics.
void MainWindow::save_drawing() {
    QString path =
        QFileDialog::getSaveFileName(this, tr("Save the Scene as a drawing"), "scene.svg", tr("SVG drawings (*.svg)"));
    if (path.isEmpty()) return;
    if (!path.endsWith(".svg", Qt::CaseInsensitive)) path += ".svg";
    QSaveFile file(path);
    SceneDrawing drawn;
    bool fine = file.open(QIODevice::WriteOnly);
    if (fine) {
        QSvgGenerator svg;
        svg.setOutputDevice(&file);
        svg.setSize(scene_view_->size());
        svg.setViewBox(scene_view_->rect());
        svg.setTitle(tr("The Scene at output frame %1").arg(viewing_.frame().value));
        QPainter painter(&svg);
        drawn = scene_view_->draw(painter);
        painter.end();
        if (!drawn.fits) {
            emit document_.problem(
                Error{ErrorCode::too_large, "the copies have more triangles than a drawing of 60 000 holds"}
                    .keeping("nothing was written")
                    .advise("save the Scene as a picture, or show fewer copies"));
            return; // without commit() there is no file
        }
        fine = file.commit();
    }
    if (!fine) {
        emit document_.problem(Error{ErrorCode::unreadable, "the drawing could not be written"}
                                   .at(path.toStdString())
                                   .keeping("the file that was there before, if any")
                                   .advise("choose another folder"));
        return;
    }
    QString words = tr("%1 written").arg(path);
    if (drawn.faces < drawn.of) words += tr(", with %1 of %2 triangles").arg(drawn.faces).arg(drawn.of);
    if (drawn.left_out > 0) words += tr(", without %1 particles").arg(drawn.left_out);
    emit document_.hint(words);
}

void MainWindow::add_pictures(QMenu& menu) {
    auto scene_there = [this] {
        const QImage image = scene_view_->picture();
        if (image.isNull())
            emit document_.problem(Error{ErrorCode::unsupported, "the Scene cannot be drawn on this machine"}.advise(
                "make a preview in Hand off: it needs no graphics"));
        return image;
    };
    commands_.add(&menu, "picture.copy_scene", tr("&Copy the Scene"), "Ctrl+Alt+C", tr("Copy the Scene as a picture"),
                  [scene_there] {
                      const QImage image = scene_there();
                      if (!image.isNull()) QGuiApplication::clipboard()->setImage(image);
                  });
    commands_.add(&menu, "picture.save_scene", tr("&Save the Scene…"), "", tr("Save the Scene as a picture"),
                  [this, scene_there] {
                      const QImage image = scene_there();
                      if (image.isNull()) return;
                      QString path = QFileDialog::getSaveFileName(this, tr("Save the Scene"), "scene.png",
                                                                  tr("PNG pictures (*.png)"));
                      if (path.isEmpty()) return;
                      if (!path.endsWith(".png", Qt::CaseInsensitive)) path += ".png";
                      if (image.save(path, "PNG")) {
                          emit document_.hint(tr("%1 written").arg(path));
                      } else {
                          emit document_.problem(Error{ErrorCode::unreadable, "the picture could not be written"}
                                                     .at(path.toStdString())
                                                     .advise("choose another folder"));
                      }
                  });
    commands_.add(&menu, "picture.draw_scene", tr("Save the Scene as a &drawing…"), "",
                  tr("Save the Scene as an SVG drawing, the second pose as outlines over the first"),
                  [this] { save_drawing(); });
    commands_.add(&menu, "picture.save_lanes", tr("Save the &lanes…"), "",
                  tr("Save the lanes as a drawing or a picture"),
                  [this] { save_picture(*lanes_, tr("Save the lanes"), "lanes.svg"); });
    commands_.add(&menu, "picture.save_map", tr("Save the &time map…"), "",
                  tr("Save the time map as a drawing or a picture"),
                  [this] { save_picture(retime_->map(), tr("Save the time map"), "time map.svg"); });
}

} // namespace garland
