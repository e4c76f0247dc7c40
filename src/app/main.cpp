// main.cpp: the program is in command.cpp.
#include "frame/command.h"

int main(int count, char** arguments) { return vprism::run_program({arguments + 1, arguments + count}); }
