// plain_heads.h: heads of text tables that say names, units, rate and start in statements of their own,
// written anew as the titles and settings that all other heads have.
#pragma once

#include <deque>
#include <string>
#include <vector>

#include "formats/text/tables/text_columns.h"

namespace vprism {

/// Legends and labels of a graph ("@ s0 legend ..."), names in parentheses and quotation marks, waves with
/// their scaling, a start and a rate in rows of their own, names and units by turns under their number.
/// `kept` holds what the lines point to; a line that says nothing more is empty then.
void write_heads_plainly(std::vector<TextLine>& lines, std::deque<std::string>& kept,
                         std::vector<Caution>& cautions);

/// Names in quotation marks, as a row of titles above any table.
std::string title_row(const std::vector<std::string>& names);

/// What stands between quotation marks, in order. `only`, if given: whether there is nothing else but blanks
/// and parentheses.
std::vector<std::string> words_in_quotes(std::string_view text, bool* only = nullptr);

}  // namespace vprism
