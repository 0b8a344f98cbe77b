// What every panel has: its frame, the document, what is looked at.
#pragma once

#include "app/document/viewing.h"
#include "app/widgets/parts.h"

#include <QImage>
#include <map>

namespace garland {

class Panel : public PanelFrame {
    Q_OBJECT
  public:
    Panel(const QString& title, bool scrolls, Document& document, Viewing& viewing, QWidget* parent = nullptr)
        : PanelFrame(title, scrolls, parent), document_(document), viewing_(viewing) {}
    virtual void entered() {} // the user came to this step
    virtual QWidget* home() {
        return nullptr;
    } // the view that has the keyboard when no field has it; null: the window's choice

  signals:
    void badge(int findings);  // for the rail; 0 hides it
    void go_to_step(int step); // 0 … 6

  protected:
    Document& document_;
    Viewing& viewing_;
};

// Small pictures of a source's poses, made in the background and kept until the source changes.
class PosePictures : public QObject {
    Q_OBJECT
  public:
    PosePictures(Document& document, QObject* parent = nullptr);
    // Pictures of `count` poses spread evenly over the source, first and last included; those not made yet are null.
    const std::vector<QImage>& get(SourceId source, int count, QSize size);
    static SourceFrame frame_of(const SourceClock& clock, int index, int count);

  signals:
    void ready();

  private:
    struct Key {
        std::uint64_t
            serial; // of the source as it is taken: another closing, up axis, or frame left out is another one
        int count, width, height;
        auto operator<=>(const Key&) const = default;
    };
    Document& document_;
    std::map<Key, std::vector<QImage>> made_;
};

} // namespace garland
