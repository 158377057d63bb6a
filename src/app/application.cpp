#include "application.h"
#include <iostream>
#include <new>

namespace hemline::app {

bool Application::notify(QObject* receiver, QEvent* event) {
  const auto tell = [this](const Error& e) {
    if (tell_)
      tell_(e);
    else
      std::cerr << e.what() << "\n";
    return true;
  };
  try {
    return QApplication::notify(receiver, event);
  } catch (const Error& e) {
    return tell(e);
  } catch (const std::bad_alloc&) {
    return tell(
        Error(Fault::System, "There is not enough memory for this", "the window", "Close other programs, or take a larger cell or cusp."));
  } catch (const std::exception& e) {
    return tell(Error(Fault::System, std::string("This went wrong within Hemline: ") + e.what(), "the window",
                      "The job is as it was. Save it, and report what you did."));
  }
}

} // namespace hemline::app
