#include "view/picture_maker.h"
#include <QPixmap>

namespace hemline::app {

PictureMaker::~PictureMaker() {
  progress_.cancel();
  if (thread_.joinable()) thread_.join();
}

void PictureMaker::make(QLabel* into, Make picture) {
  bool begin = false;
  {
    const std::lock_guard lock(mutex_);
    asked_.push_back({into, std::move(picture)});
    begin = !std::exchange(working_, true);
  }
  if (!begin) return;
  if (thread_.joinable()) thread_.join(); // it has ended
  thread_ = std::thread([this] { work(); });
}

bool PictureMaker::busy() {
  const std::lock_guard lock(mutex_);
  return working_;
}

void PictureMaker::work() {
  for (;;) {
    Asked next;
    {
      const std::lock_guard lock(mutex_);
      if (asked_.empty() || progress_.cancelled()) {
        working_ = false;
        break;
      }
      next = std::move(asked_.front());
      asked_.pop_front();
    }
    QImage picture;
    try {
      picture = next.make(progress_);
    } catch (const Error&) {
    } catch (const Cancelled&) {
    }
    if (picture.isNull()) continue;
    QMetaObject::invokeMethod(this, [into = next.into, picture] {
      if (into) into->setPixmap(QPixmap::fromImage(picture));
    });
  }
}

} // namespace hemline::app
