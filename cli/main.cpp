#include "sky/sky.h"
#include "base/text.h"
int main(int, char **v) { ampletie::sky::simulate_to(ampletie::sky::read_scenario(ampletie::read_file(v[1])), v[2]); }
