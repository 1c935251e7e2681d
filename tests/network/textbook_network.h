#pragma once
#include "network/network.h"
#include "network/network_frame.h"
#include <stdexcept>

namespace ampletie::testing {

inline NetworkMark mark(const std::string &name, const Vec3 &x, Hold hold = Hold::none) {
  return {name, {x, frame, 2026.36}, hold, Vec3(0.001, 0.001, 0.002)};
}

// LSQ-04: Ghilani and Wolf, GNSS vector network with two fixed stations.
inline NetworkInput textbook() {
  NetworkInput in;
  in.setup_unknowns = false;
  in.marks = {mark("A", {402.35087, -4652995.30109, 4349760.77753}, Hold::full),
              mark("B", {8086.03178, -4642712.84739, 4360439.08326}, Hold::full),
              mark("C", {12046, -4649394, 4353160}),
              mark("D", {-3081, -4643107, 4359531}),
              mark("E", {-4919, -4649361, 4352934}),
              mark("F", {1518, -4648399, 4354116})};
  const struct {
    const char *from, *to;
    double d[3], q[6];
  } rows[] = {
      {"A", "C", {11644.2232, 3601.2165, 3399.2550}, {9.884E-4, -9.580E-6, 9.520E-6, 9.377E-4, -9.520E-6, 9.827E-4}},
      {"A", "E", {-5321.7164, 3634.0754, 3173.6652}, {2.158E-4, -2.100E-6, 2.160E-6, 1.919E-4, -2.100E-6, 2.005E-4}},
      {"B", "C", {3960.5442, -6681.2467, -7279.0148}, {2.305E-4, -2.230E-6, 2.070E-6, 2.546E-4, -2.230E-6, 2.252E-4}},
      {"B", "D", {-11167.6076, -394.5204, -907.9593}, {2.700E-4, -2.750E-6, 2.850E-6, 2.721E-4, -2.720E-6, 2.670E-4}},
      {"D", "C", {15128.1647, -6286.7054, -6371.0583}, {1.461E-4, -1.430E-6, 1.340E-6, 1.614E-4, -1.440E-6, 1.308E-4}},
      {"D", "E", {-1837.7459, -6253.8534, -6596.6697}, {1.231E-4, -1.190E-6, 1.220E-6, 1.277E-4, -1.210E-6, 1.283E-4}},
      {"F", "A", {-1116.4523, -4596.1610, -4355.9062}, {7.475E-5, -7.900E-7, 8.800E-7, 6.593E-5, -8.100E-7, 7.616E-5}},
      {"F", "C", {10527.7852, -994.9377, -956.6246}, {2.567E-4, -2.250E-6, 2.400E-6, 2.163E-4, -2.270E-6, 2.397E-4}},
      {"F", "E", {-6438.1364, -962.0694, -1182.2305}, {9.442E-5, -9.200E-7, 1.040E-6, 9.959E-5, -8.900E-7, 8.826E-5}},
      {"F", "D", {-4600.3787, 5291.7785, 5414.4311}, {9.330E-5, -9.900E-7, 9.000E-7, 9.875E-5, -9.900E-7, 1.204E-4}},
      {"F", "B", {6567.2311, 5686.2926, 6322.3917}, {6.643E-5, -6.500E-7, 6.900E-7, 7.465E-5, -6.400E-7, 6.048E-5}},
      {"B", "F", {-6567.2310, -5686.3033, -6322.3807}, {5.512E-5, -6.300E-7, 6.100E-7, 7.472E-5, -6.300E-7, 6.629E-5}},
      {"A", "F", {1116.4577, 4596.1553, 4355.9141}, {6.619E-5, -8.000E-7, 9.000E-7, 8.108E-5, -8.200E-7, 9.376E-5}}};
  int n = 0;
  for (const auto &r : rows) {
    NetworkVector v;
    v.id = std::string(1, static_cast<char>('a' + n++));
    v.from = r.from, v.to = r.to, v.from_setup = v.id + "1", v.to_setup = v.id + "2";
    v.d = Vec3(r.d[0], r.d[1], r.d[2]);
    v.cov << r.q[0], r.q[1], r.q[2], r.q[1], r.q[3], r.q[4], r.q[2], r.q[4], r.q[5];
    v.frame = frame, v.epoch = 2026.36;
    in.vectors.push_back(v);
  }
  return in;
}
inline Vec3 at(const NetworkResult &r, const std::string &name) {
  for (const auto &m : r.marks)
    if (m.name == name) return m.position.xyz;
  throw std::runtime_error(name);
}

} // namespace ampletie::testing
