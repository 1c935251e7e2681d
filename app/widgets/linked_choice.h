#pragma once
#include "app/widgets/difference_picture.h"
#include "app/widgets/table.h"
#include "app/workspace.h"

namespace ampletie::app {

/// A mark (or another kind of thing) chosen in the table is chosen in the picture, and the other way; the evidence
/// follows both.
inline void choose_marks_together(TableCard *table, DifferencePicture *picture, Workspace &w, QObject *context,
                                  const char *kind = "mark") {
  QObject::connect(table, &TableCard::chosen, context, [picture, &w, kind](const std::string &id) {
    picture->select(id);
    w.select(kind, id);
  });
  QObject::connect(picture, &DifferencePicture::chosen, context, [table, &w, kind](const std::string &id) {
    table->select(id);
    w.select(kind, id);
  });
}

} // namespace ampletie::app
