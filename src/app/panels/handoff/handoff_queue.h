// Hand-offs that wait for their turn: one is written at a time, in the order of the list.
#pragma once

#include "app/document/document.h"

#include <QObject>
#include <QPointer>
#include <QStringList>
#include <functional>
#include <list>

namespace garland {

struct HandoffAnswer {
    QString text; // what was written, in sentences
    QStringList files;
    // How much work of which kind it was, for telling the time of the next one; 0: it tells nothing of that.
    QString kind;
    double amount = 0;
    qint64 milliseconds = 0; // at work; by the queue
};

class HandoffQueue : public QObject {
    Q_OBJECT
  public:
    using Work = std::function<Result<HandoffAnswer>(Progress&)>;
    struct Item {
        int id = 0;
        QString title;
        Work work;
    };
    explicit HandoffQueue(Document& document, QObject* parent = nullptr) : QObject(parent), document_(document) {}

    void add(const QString& title, Work work);
    const std::list<Item>& items() const { return items_; } // the first one is being written
    Job* job() const { return job_; }                       // what is being written; null: nothing
    void cancel();                                          // what is being written
    void pause(bool on);
    void move(int id, int by); // among those that wait: −1 earlier, +1 later
    void remove(int id);       // one that waits

  signals:
    void changed();
    void begun(garland::Job* job);
    void done(const QString& title, const garland::HandoffAnswer& answer);
    void failed(const QString& title, const QString& text);

  private:
    void next();
    Document& document_;
    std::list<Item> items_;
    QPointer<Job> job_;
    int last_id_ = 0;
};

} // namespace garland
