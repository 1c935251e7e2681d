#pragma once
#include "base/angle.h"
#include "geodesy/ellipsoid.h"
#include "support/test_job.h"
#include <fmt/format.h>
#include <random>

namespace ampletie::testing {

/// Marks around a base, true places in ETRF2000 on the Earth.
struct Surveyed {
  Vec3 base = to_cartesian({radians(46.25), radians(13.8), 500});
  std::map<std::string, Vec3> marks;
  Surveyed() {
    const Geodetic at = to_geodetic(base);
    int i = 0;
    for (const char *name : {"101", "102", "103", "104"}) {
      marks[name] = base + local_axes(at).transpose() * Vec3(300.0 + 150 * i, 400 - 210 * i, 10 + 3 * i);
      ++i;
    }
  }
  std::string control() const {
    return fmt::format(
        "mark,x,y,z,frame,epoch,sd_e_mm,sd_n_mm,sd_u_mm\nB1,{:.4f},{:.4f},{:.4f},ETRF2000,2026.36,2,2,4\n", base.x(),
        base.y(), base.z());
  }
  static JobSettings settings() {
    JobSettings s = demo_settings();
    s.datum.vertical.clear();
    return s;
  }
};

/// A fix in the layout of a field list: the base stood `moved` away from where it really is.
inline std::string fixes(const Surveyed &f, const Vec3 &moved, std::mt19937_64 &random, double sd, bool stated,
                         int times = 2, const std::string &day = "2026-05-12") {
  std::normal_distribution<double> noise(0, sd);
  std::string out = std::string("mark,base,x,y,z,time,status,epochs") + (stated ? ",sd_x,sd_y,sd_z" : "") + "\n";
  const auto row = [&](const std::string &mark, const Vec3 &x, const std::string &time) {
    out += fmt::format("{},B1,{:.4f},{:.4f},{:.4f},{},fixed,20{}\n", mark, x.x(), x.y(), x.z(), time,
                       stated ? fmt::format(",{0:.4f},{0:.4f},{0:.4f}", sd) : "");
  };
  row("B1", f.base + moved, "");
  for (int t = 0; t < times; ++t)
    for (const auto &[name, x] : f.marks)
      row(name, x + moved + Vec3(noise(random), noise(random), noise(random)),
          fmt::format("{}T{:02}:{:02}:00", day, 9 + t, std::stoi(name) - 95));
  return out;
}

inline const Vec3 moving_104(0.014, -0.009, -0.02); ///< east, north, up, m/yr
/// A campaign of fixes in one year, adjusted; mark 104 moves. Every job is in the frame at 2026.36, whenever it was
/// measured. `more`: marks that other campaigns have not.
inline Job campaign(const std::string &path, int year, std::mt19937_64 &random,
                    const std::vector<std::string> &more = {}) {
  Surveyed f;
  const Mat3 axes = local_axes(to_geodetic(f.base));
  f.marks["104"] += axes.transpose() * moving_104 * (year - 2023);
  for (const std::string &name : more) f.marks[name] = f.marks["101"] + axes.transpose() * Vec3(90, 60, 5);
  Job job = Job::create(path, Surveyed::settings());
  job.take_bytes({{"control.csv", f.control()},
                  {"fixes.csv", fixes(f, Vec3::Zero(), random, 0.004, true, 3, std::to_string(year) + "-06-30")}});
  job.decide("hold", "B1", {{"how", "full"}}, "");
  adjust(job);
  return job;
}

} // namespace ampletie::testing
