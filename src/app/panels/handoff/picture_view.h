// Pictures of a preview, as large as there is room.
#pragma once

#include <QImage>
#include <QWidget>

namespace garland {

// One picture, or two side by side, as large as there is room; what is clear is shown over squares.
class PictureView : public QWidget {
    Q_OBJECT
  public:
    explicit PictureView(QWidget* parent = nullptr);
    void show_pictures(QImage picture, QImage before = {}, const QString& words = {}, const QString& before_words = {});
    const QImage& picture() const { return picture_; }
    const QImage& before() const { return before_; }
    QSize sizeHint() const override { return {400, 240}; }
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override;

  signals:
    void double_clicked();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    QImage picture_, before_;
    QString words_, before_words_;
};

} // namespace garland
