/* Begins and ends the counting of instructions around a call, from R: see bench/counts.R. */
#include <valgrind/callgrind.h>

void count_from_here(void) { CALLGRIND_ZERO_STATS; }
void count_to_here(char** name) { CALLGRIND_DUMP_STATS_AT(*name); }
