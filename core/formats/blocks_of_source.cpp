#include "formats/blocks_of_source.h"
#include "base/error.h"
#include "base/inflate.h"
#include "base/text.h"
#include "formats/hatanaka.h"
#include "formats/recognise.h"
#include <optional>
#include <utility>

namespace ampletie {

struct BlocksOfSource::Work {
  enum class How { not_known, as_it_comes, at_the_end } how = How::not_known;
  ObservationBlockReader reader;
  std::optional<Inflater> inflater;
  std::string kept; ///< until it is known how, or until the end
  bool begun = false;

  explicit Work(ObservationBlockReader::Take take) : reader(block_epochs, std::move(take)) {}

  void text(std::string_view piece) {
    if (how == How::as_it_comes) {
      reader.add(piece);
      return;
    }
    kept += piece;
    if (how == How::not_known && kept.size() >= enough) decide();
  }
  void decide() {
    const bool plain =
        recognise(kept).kind == FileKind::observation && !is_hatanaka(kept) && kept.find('\n') != std::string::npos;
    how = plain ? How::as_it_comes : How::at_the_end;
    if (!plain) return;
    reader.add(kept);
    kept.clear();
  }

  static constexpr std::size_t enough = 8192, block_epochs = 2000;
};

BlocksOfSource::BlocksOfSource(ObservationBlockReader::Take take) : work_(std::make_unique<Work>(std::move(take))) {}
BlocksOfSource::~BlocksOfSource() = default;

void BlocksOfSource::add(std::string_view piece) {
  Work &w = *work_;
  if (piece.empty()) return;
  if (!std::exchange(w.begun, true) && is_gzip(piece)) w.inflater.emplace(Inflater::Form::gzip);
  if (w.inflater)
    w.inflater->add(piece, [&](std::string_view text) { w.text(text); });
  else
    w.text(piece);
}

bool BlocksOfSource::finish() {
  Work &w = *work_;
  if (w.inflater && !w.inflater->whole()) throw InputError("the compressed file is damaged or ends too early");
  if (w.how == Work::How::not_known) w.decide();
  if (w.how == Work::How::at_the_end) {
    const std::string text = plain_content(std::exchange(w.kept, {}));
    if (recognise(text).kind != FileKind::observation) return false;
    w.reader.add(text);
  }
  w.reader.finish();
  return true;
}

} // namespace ampletie
