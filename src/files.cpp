// What R does not tell of files: what kind a path is of, and whether bytes written have arrived.
#include <Rcpp/Lightest>
#include <sys/stat.h>
#include <cerrno>
#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <vector>
#include <zlib.h>
#ifndef _WIN32
#include <fcntl.h>
#include <unistd.h>
#endif

namespace {
volatile std::sig_atomic_t ended_by = 0;
void end_by(int signal) {
  ended_by = signal;
  std::raise(SIGINT);
}
} // namespace

// "none", "file", "folder" or "other" (a pipe, a device, a socket).
// [[Rcpp::export(rng = false)]]
std::string file_kind(const std::string& path) {
  struct stat found;
  if (stat(path.c_str(), &found) != 0) return "none";
  if ((found.st_mode & S_IFMT) == S_IFREG) return "file";
  return (found.st_mode & S_IFMT) == S_IFDIR ? "folder" : "other";
}

// Unpacks gzip: every member to its end mark, whose length and sum must be right. An empty text,
// or what is wrong.
// [[Rcpp::export(rng = false)]]
Rcpp::List unpack_gzip(const Rcpp::RawVector& packed, double most) {
  std::vector<unsigned char> out;
  std::vector<unsigned char> piece(std::size_t{1} << 20);
  z_stream stream;
  std::memset(&stream, 0, sizeof stream);
  auto failed = [](const std::string& why) { return Rcpp::List::create(Rcpp::_["wrong"] = why); };
  if (inflateInit2(&stream, 15 + 16) != Z_OK) return failed("it cannot be decompressed");
  const unsigned char* at = packed.begin();
  std::size_t left = static_cast<std::size_t>(packed.size());
  bool whole = false;
  std::string wrong;
  while (left > 0 && wrong.empty()) {
    const uInt step = static_cast<uInt>(std::min<std::size_t>(left, std::size_t{1} << 30));
    stream.next_in = const_cast<unsigned char*>(at);
    stream.avail_in = step;
    whole = false;
    int state = Z_OK;
    while (state == Z_OK) {
      stream.next_out = piece.data();
      stream.avail_out = static_cast<uInt>(piece.size());
      state = inflate(&stream, Z_NO_FLUSH);
      const std::size_t made = piece.size() - stream.avail_out;
      if (static_cast<double>(out.size()) + static_cast<double>(made) > most) {
        wrong = "more";
        break;
      }
      out.insert(out.end(), piece.begin(), piece.begin() + static_cast<std::ptrdiff_t>(made));
      if (state == Z_OK && stream.avail_in == 0 && stream.avail_out > 0) break;
    }
    const std::size_t used = step - stream.avail_in;
    at += used;
    left -= used;
    if (!wrong.empty()) break;
    if (state == Z_STREAM_END) {
      whole = true;
      // Zeros after the last member are padding.
      while (left > 0 && *at == 0) ++at, --left;
      if (left > 0 && inflateReset(&stream) != Z_OK) wrong = "it cannot be decompressed";
    } else if (state != Z_OK && !(state == Z_BUF_ERROR && left == 0)) {
      wrong = "it is damaged";
    }
  }
  inflateEnd(&stream);
  if (wrong.empty() && !whole) wrong = "it is cut off: its end mark is missing";
  if (!wrong.empty()) return failed(wrong);
  Rcpp::RawVector bytes(Rcpp::no_init(static_cast<R_xlen_t>(out.size())));
  std::copy(out.begin(), out.end(), bytes.begin());
  return Rcpp::List::create(Rcpp::_["bytes"] = bytes);
}

namespace {

std::uint32_t little(const unsigned char* p, int n) {
  std::uint32_t x = 0;
  for (int i = n - 1; i >= 0; --i) x = x << 8 | p[i];
  return x;
}

// One part of an archive, unpacked and summed up; what is wrong with it, if anything.
std::string part_fault(const unsigned char* data, std::size_t packed, int method, std::size_t size,
                       std::uint32_t sum) {
  std::vector<unsigned char> out(size ? size : 1);
  if (method == 0) {
    if (packed != size) return "a part of it has another length than it says";
    std::memcpy(out.data(), data, size);
  } else if (method == 8) {
    z_stream stream;
    std::memset(&stream, 0, sizeof stream);
    if (inflateInit2(&stream, -15) != Z_OK) return "it cannot be unpacked";
    stream.next_in = const_cast<unsigned char*>(data);
    stream.avail_in = static_cast<uInt>(packed);
    stream.next_out = out.data();
    stream.avail_out = static_cast<uInt>(size);
    const int state = inflate(&stream, Z_FINISH);
    const bool whole =
        (state == Z_STREAM_END || (size == 0 && state == Z_BUF_ERROR)) && stream.total_out == size;
    inflateEnd(&stream);
    if (!whole) return "a part of it cannot be unpacked";
  } else {
    return "it is packed in a way that is not known";
  }
  return crc32(0, out.data(), static_cast<uInt>(size)) == sum
             ? ""
             : "the checksum of a part of it does not agree";
}

} // namespace

// What is wrong with a zip archive, if anything: every part is unpacked and its checksum tested.
// `most`: bytes of all.
// [[Rcpp::export(rng = false)]]
std::string zip_fault(const Rcpp::RawVector& bytes, double most) {
  const unsigned char* start = bytes.begin();
  const std::size_t size = static_cast<std::size_t>(bytes.size());
  if (size < 22) return "it is cut off";
  std::size_t end = size - 22;
  while (end > 0 && little(start + end, 4) != 0x06054b50u && size - end < 66000) --end;
  if (little(start + end, 4) != 0x06054b50u) return "it is cut off";
  const std::size_t count = little(start + end + 10, 2);
  std::size_t at = little(start + end + 16, 4);
  double total = 0.0;
  for (std::size_t i = 0; i < count; ++i) {
    if (at + 46 > size || little(start + at, 4) != 0x02014b50u)
      return "its list of parts is damaged";
    const unsigned char* p = start + at;
    const std::size_t packed = little(p + 20, 4), unpacked = little(p + 24, 4),
                      local = little(p + 42, 4);
    total += static_cast<double>(unpacked);
    if (total > most) return "it unpacks to more than 2 GB";
    if (local + 30 > size || little(start + local, 4) != 0x04034b50u)
      return "a part of it is not where it should be";
    const std::size_t from =
        local + 30 + little(start + local + 26, 2) + little(start + local + 28, 2);
    if (from + packed > size) return "it is cut off";
    // A name that differs from that in the list, or a size of a thousand times what is packed, is
    // no workbook's.
    const std::size_t name = little(p + 28, 2);
    if (at + 46 + name > size || name != little(start + local + 26, 2) ||
        std::memcmp(p + 46, start + local + 30, name) != 0) {
      return "its list of parts is damaged";
    }
    if (unpacked > 1040 * (packed + 16)) return "a part of it has another length than it says";
    const std::string fault = part_fault(start + from, packed, static_cast<int>(little(p + 10, 2)),
                                         unpacked, little(p + 16, 4));
    if (!fault.empty()) return fault;
    at += 46 + name + little(p + 30, 2) + little(p + 32, 2);
  }
  return count ? "" : "there is nothing in it";
}

// Whether bytes are text: "utf-8", "bytes" (of another encoding), or "none" where a NUL stands in
// them.
// [[Rcpp::export(rng = false)]]
std::string text_kind(const Rcpp::RawVector& bytes) {
  const unsigned char* p = bytes.begin();
  const unsigned char* end = p + bytes.size();
  if (std::memchr(p, 0, static_cast<std::size_t>(bytes.size()))) return "none";
  while (p < end) {
    std::uint64_t eight;
    if (end - p >= 8 && (std::memcpy(&eight, p, 8), (eight & 0x8080808080808080ull) == 0)) {
      p += 8;
      continue;
    }
    if (*p < 0x80) {
      ++p;
      continue;
    }
    const int more = *p >= 0xc2 && *p <= 0xdf   ? 1
                     : (*p & 0xf0) == 0xe0      ? 2
                     : *p >= 0xf0 && *p <= 0xf4 ? 3
                                                : 0;
    if (!more || end - p <= more) return "bytes";
    for (int i = 1; i <= more; ++i) {
      if ((p[i] & 0xc0) != 0x80) return "bytes";
    }
    if ((*p == 0xe0 && p[1] < 0xa0) || (*p == 0xed && p[1] > 0x9f) ||
        (*p == 0xf0 && p[1] < 0x90) || (*p == 0xf4 && p[1] > 0x8f)) {
      return "bytes";
    }
    p += more + 1;
  }
  return "utf-8";
}

// Writes bytes to a path, to the medium, and says what went wrong, if anything did. `onto`: what
// is there is written into (a pipe, a device), not made anew.
// [[Rcpp::export(rng = false)]]
std::string write_bytes(const std::string& path, const Rcpp::RawVector& bytes, bool onto) {
#ifdef _WIN32
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (!file) return std::strerror(errno);
  const bool wrote =
      std::fwrite(bytes.begin(), 1, bytes.size(), file) == static_cast<std::size_t>(bytes.size());
  const bool closed = std::fclose(file) == 0;
  return wrote && closed ? "" : std::strerror(errno);
#else
  const int file =
      open(path.c_str(), onto ? O_WRONLY | O_APPEND : O_WRONLY | O_CREAT | O_TRUNC, 0666);
  if (file < 0) {
    const int wrong = errno;
    // Where nobody reads a pipe, opening it waits until a signal comes.
    if (wrong == EINTR) Rcpp::checkUserInterrupt();
    return std::strerror(wrong);
  }
  const unsigned char* at = bytes.begin();
  std::size_t left = static_cast<std::size_t>(bytes.size());
  int wrong = 0;
  while (left > 0 && !wrong && !ended_by) {
    const ssize_t wrote = write(file, at, left);
    if (wrote < 0) {
      if (errno != EINTR) wrong = errno;
    } else {
      at += wrote;
      left -= static_cast<std::size_t>(wrote);
    }
  }
  // A pipe or a terminal has no medium to arrive on.
  if (!wrong && !onto && fsync(file) != 0 && errno != EINVAL && errno != ENOSYS && errno != EROFS)
    wrong = errno;
  if (close(file) != 0 && !wrong && errno != EINTR) wrong = errno;
  if (ended_by) Rcpp::checkUserInterrupt();
  return wrong ? std::strerror(wrong) : "";
#endif
}

// Bytes to standard output: "" or what went wrong. That nobody reads any more is no fault.
// [[Rcpp::export(rng = false)]]
std::string write_standard_output(const Rcpp::RawVector& bytes) {
#ifdef _WIN32
  std::fwrite(bytes.begin(), 1, bytes.size(), stdout);
  return std::fflush(stdout) == 0 ? "" : std::strerror(errno);
#else
  struct sigaction ignore, before;
  std::memset(&ignore, 0, sizeof ignore);
  ignore.sa_handler = SIG_IGN;
  sigaction(SIGPIPE, &ignore, &before);
  const unsigned char* at = bytes.begin();
  std::size_t left = static_cast<std::size_t>(bytes.size());
  int wrong = 0;
  while (left > 0 && !wrong && !ended_by) {
    const ssize_t wrote = write(1, at, left);
    if (wrote < 0) {
      if (errno != EINTR) wrong = errno;
      continue;
    }
    at += wrote;
    left -= static_cast<std::size_t>(wrote);
  }
  sigaction(SIGPIPE, &before, nullptr);
  if (ended_by) Rcpp::checkUserInterrupt();
  return wrong && wrong != EPIPE ? std::strerror(wrong) : "";
#endif
}

// Waits until a file has reached its medium: "" or what went wrong.
// [[Rcpp::export(rng = false)]]
std::string reach_medium(const std::string& path) {
#ifndef _WIN32
  const int file = open(path.c_str(), O_RDONLY);
  if (file < 0) return std::strerror(errno);
  int wrong = 0;
  if (fsync(file) != 0 && errno != EINVAL && errno != ENOSYS && errno != EROFS) wrong = errno;
  if (close(file) != 0 && !wrong && errno != EINTR) wrong = errno;
  if (wrong) return std::strerror(wrong);
#endif
  return "";
}

// Tells one file from another, by whatever path; empty where there is none.
// [[Rcpp::export(rng = false)]]
std::string file_identity(const std::string& path) {
  struct stat found;
  if (stat(path.c_str(), &found) != 0) return "";
  return std::to_string(found.st_dev) + ":" + std::to_string(found.st_ino);
}

// From now on a signal to end is an interrupt, so that whoever made a temporary file removes it.
// [[Rcpp::export(rng = false)]]
void interrupt_on_signals() {
#ifndef _WIN32
  std::signal(SIGTERM, end_by);
  std::signal(SIGHUP, end_by);
  // What waits, such as for a reader of a pipe, is woken.
  for (int signal : {SIGINT, SIGTERM, SIGHUP}) {
    struct sigaction action;
    sigaction(signal, nullptr, &action);
    action.sa_flags &= ~SA_RESTART;
    sigaction(signal, &action, nullptr);
  }
  // A file that may not grow further is an error of its writing, not the end.
  std::signal(SIGXFSZ, SIG_IGN);
#endif
}

// [[Rcpp::export(rng = false)]]
int signal_to_end() { return ended_by ? ended_by : SIGINT; }

// What a process does that is to end quietly when a library in it crashes, instead of R's
// farewell, which removes the temporary folder of the process it was forked from.
// [[Rcpp::export(rng = false)]]
void end_quietly() {
  for (int signal : {SIGSEGV, SIGILL, SIGABRT, SIGFPE}) std::signal(signal, SIG_DFL);
#ifndef _WIN32
  std::signal(SIGBUS, SIG_DFL);
#endif
}
