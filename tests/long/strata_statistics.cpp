// Statistics of static vectors by stratum: fix rate, wrong integers, errors against printed accuracy.
// Usage: strata_statistics STRATUM|demo=SCENARIO.json FIRST_SEED COUNT
//        [no-troposphere|no-ionosphere|no-antenna|no-tides|no-learning|white|float|alone|talk|dump]...
//        [mask|gradient|walk|base-walk|base|b-ppm|b-up|multipath|white|ppm|diffuse|tau=VALUE]...   (of the solution)
//        [lasting|unevenness|zenith=VALUE]...   (of the simulated noise)
// alone: one vector a session, so that all of them are independent; dump: a line of figures for each
#include "base/text.h"
#include "support/strata.h"
#include <cstdio>
#include <cstring>

using namespace ampletie;
using namespace ampletie::testing;

int main(int argc, char **argv) {
  if (argc < 4) return 2;
  Experiment e;
  bool talk = false, dump = false;
  int rovers = 3;
  for (int i = 4; i < argc; ++i) {
    const std::string o = argv[i];
    if (o == "no-troposphere") e.solve.relative_troposphere = false;
    if (o == "no-antenna") e.antenna_calibration = false;
    if (o == "white") e.solve.correlated_noise = false;
    if (o == "no-ionosphere") e.solve.ionosphere = false;
    if (o == "no-tides") e.model.tides = false;
    const auto value = [&](const char *what, double &into) {
      const std::string w = std::string(what) + "=";
      if (o.rfind(w, 0) == 0) into = std::atof(o.c_str() + w.size());
    };
    value("mask", e.model.mask_deg), value("gradient", e.solve.gradient_sd), value("walk", e.solve.troposphere_walk);
    value("base-walk", e.solve.base_walk), value("base", e.solve.base_zenith_sd), value("b-ppm", e.solve.type_b_ppm);
    value("multipath", e.solve.phase_multipath), value("white", e.solve.phase_white);
    value("ppm", e.solve.ionosphere_ppm), value("diffuse", e.solve.diffuse_share), value("b-up", e.solve.type_b_up);
    value("tau", e.solve.correlation_s), value("lasting", e.noise.multipath_lasting);
    value("unevenness", e.noise.ionosphere_unevenness), value("zenith", e.noise.zenith_delay);
    if (o == "no-learning") e.solve.learn_noise = false;
    if (o == "float") e.solve.integers = false;
    if (o == "alone") rovers = 1;
    if (o == "talk") talk = true;
    if (o == "dump") dump = true;
  }
  const auto first = static_cast<std::uint64_t>(std::atoll(argv[2]));
  const int count = std::atoi(argv[3]);
  const std::string name = argv[1];
  Tally t;
  if (name.rfind("demo=", 0) == 0) {
    sky::Scenario scenario = sky::read_scenario(read_file(name.substr(5)));
    for (int k = 0; k < count; ++k) {
      scenario.seed = first + static_cast<std::uint64_t>(k);
      const auto j = judge(scenario);
      for (const auto &o : solve_all(j, scenario, e)) t.add(o);
    }
  } else
    t = run_stratum(stratum(name), first, count, e, talk, rovers, dump);
  std::printf("%-10s %s\n", name.c_str(), t.line().c_str());
}
