// html_tables.h: the tables of a page of HTML, as sheets.
#pragma once

#include "formats/documents/sheets.h"
#include "formats/format.h"

namespace vprism {

/// One sheet for each table that holds no other, called by its caption or its number. Cells that span rows or
/// columns stand in the first of them. Throws Error(input).
void write_page_tables(const FileHead& head, SheetWriter& writer);

}  // namespace vprism
