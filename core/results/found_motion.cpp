#include "results/found_motion.h"
#include "base/error.h"
#include "gnss/quality/stillness.h"
#include "results/job_results.h"
#include "results/reduction.h"
#include <atomic>
#include <fmt/format.h>
#include <thread>
#include <utility>

namespace ampletie {

const FoundMotions &found_motions(const JobSnapshot &s) {
  static const FoundMotions none;
  const auto found = static_cast<const FoundMotions *>(s.inputs().motions.get());
  return found ? *found : none;
}

namespace {
/// A site as it is; of hours at a high rate every second's epoch, slips between them told by the next.
std::shared_ptr<const ObservationFile> each_second(const ObservationSite &site) {
  if (!site.large() || site.nominal_interval_s > 0.5) return site.whole();
  const auto out = std::make_shared<ObservationFile>();
  static_cast<ObservationHeader &>(*out) = site;
  std::map<SatId, std::vector<std::uint8_t>> lost; // by type
  bool failed = false;
  site.each_block([&](const ObservationFile &block) {
    for (ObservationEpoch e : block.epochs) {
      const bool kept = out->epochs.empty() || e.time - out->epochs.back().time > 0.99;
      failed = failed || e.flag == 1;
      if (kept) e.flag = std::exchange(failed, false), append_epoch(*out, block, e);
      for (std::uint32_t r = e.first; r < e.first + e.count; ++r) {
        const SatelliteRecord &record = block.records[r];
        auto &list = lost[record.sat];
        list.resize(std::max<std::size_t>(list.size(), record.count));
        for (std::size_t k = 0; k < record.count; ++k) {
          const std::uint8_t now = block.values[record.first + k].lli & 1;
          if (!kept) {
            list[k] |= now;
            continue;
          }
          const ObservationEpoch &own = out->epochs.back();
          const SatelliteRecord &same = out->records[own.first + (r - e.first)];
          out->values[same.first + k].lli |= std::exchange(list[k], 0);
        }
      }
    }
  });
  return out;
}
} // namespace

FoundMotions find_motions(const JobSnapshot &s, unsigned threads, const Progress &progress) {
  FoundMotions out;
  std::vector<const Occupation *> todo;
  for (const auto *list : {&s.occupations(), &s.moving()})
    for (const Occupation &o : *list)
      if (!found_motions(s).count(o.id)) todo.push_back(&o);
  if (todo.empty()) return out;
  std::unique_ptr<Orbits> orbits;
  try {
    orbits = job_orbits(s);
  } catch (const InputError &) {
    return out; // solving says so
  }
  std::mutex mutex;
  std::atomic<std::size_t> next{0};
  auto look = [&] {
    for (std::size_t i = next++; i < todo.size(); i = next++) {
      if (progress.cancelled()) return;
      try {
        const Occupation &o = *todo[i];
        const auto file = each_second(*o.file);
        ModelOptions options;
        options.mask_deg = s.state().settings.mask_deg;
        const AntennaSetup antenna; // where it stands does not matter, whether it does
        const OccupationModel m =
            model_occupation(*file, *orbits, code_position(*file, *orbits, antenna, options.mask_deg).marker, antenna,
                             options, progress);
        FoundMotion f;
        f.spans = find_movement(m);
        const MovingShare share = moving_share(m, f.spans);
        f.seen_s = share.seen_s, f.moved_s = share.moved_s;
        const std::lock_guard lock(mutex);
        out[o.id] = std::move(f);
      } catch (const InputError &) {
        // solving says why
      } catch (const Cancelled &) {
        return;
      }
    }
  };
  progress.step(0, fmt::format("whether {} antennas stood", todo.size()));
  const unsigned count = std::min<unsigned>(threads ? threads : std::max(1u, std::thread::hardware_concurrency()),
                                            static_cast<unsigned>(todo.size()));
  std::vector<std::thread> pool;
  for (unsigned t = 1; t < count; ++t) pool.emplace_back(look);
  look();
  for (auto &t : pool) t.join();
  progress.check();
  return out;
}

std::shared_ptr<const JobSnapshot> with_motions(const std::shared_ptr<const JobSnapshot> &s,
                                                const FoundMotions &found) {
  if (found.empty()) return s;
  JobInputs in = s->inputs();
  FoundMotions all = found_motions(*s);
  for (const auto &[id, m] : found) all[id] = m;
  std::string &key = in.slices[static_cast<std::size_t>(Slice::motions)];
  key.clear();
  for (const auto &[id, m] : all) key += id;
  in.motions = std::make_shared<const FoundMotions>(std::move(all));
  return std::make_shared<const JobSnapshot>(std::move(in), s.get());
}

StoredResult to_stored(const std::string &occupation, const FoundMotion &m) {
  nlohmann::json j{{"seen", m.seen_s}, {"moved", m.moved_s}, {"spans", nlohmann::json::array()}};
  for (const Moved &x : m.spans) j["spans"].push_back({x.from.ns, x.to.ns, x.metres});
  return {"motion", occupation, "1", std::move(j), {}};
}

FoundMotion motion_from_stored(const StoredResult &r) {
  FoundMotion m;
  m.seen_s = r.data.at("seen"), m.moved_s = r.data.at("moved");
  for (const auto &x : r.data.at("spans")) {
    Moved span;
    span.from.ns = x.at(0), span.to.ns = x.at(1), span.metres = x.at(2);
    m.spans.push_back(span);
  }
  return m;
}

} // namespace ampletie
