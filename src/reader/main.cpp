// hemline-reader: reads a model for the process that started it (src/core/part/apart.h).
#include "part/apart.h"

int main(int argc, char** argv) {
  return hemline::readerMain(argc, argv);
}
