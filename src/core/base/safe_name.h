// Names that people type, made safe for each kind of file that they are written into: no name ever becomes a line, a record, a block or a
// folder of its own.
#pragma once
#include <string>
#include <string_view>

namespace hemline {

/// One line of at most `most` bytes (cut between characters, with "..."): control characters become blanks.
std::string oneLine(std::string_view text, std::size_t most = 120);
/// Inside the brackets of an ISO 6983 comment: printable ASCII without brackets and %.
std::string isoComment(std::string_view text);
/// Inside a record or comment of cutter-location text: printable ASCII without $.
std::string clWord(std::string_view text);
/// Part of a file's name: lower-case letters, digits and dashes, at most 60; "x" if nothing is left.
std::string filePart(std::string_view text);
/// Text between the tags of HTML.
std::string htmlText(std::string_view text);

} // namespace hemline
