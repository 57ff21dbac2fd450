// How the process deals with memory that is freed.
#pragma once

namespace facet {

/// Keeps freed blocks of up to a megabyte for the next of their kind: a search makes and drops thousands of renders,
/// and memory that goes back to the system comes back page by page. Once, at the beginning of a program; harmless
/// elsewhere than with glibc.
void keepFreedMemory();

} // namespace facet
