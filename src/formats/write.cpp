#include "aguja/formats/write.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "formats/digest.h"

namespace aguja {
namespace {

// A file without a name until it is whole, so that nothing is left of it however the process ends;
// where the file system has no such files, it stands beside its target. Gone again unless `publish`
// is reached.
class UnfinishedFile {
 public:
  explicit UnfinishedFile(const std::filesystem::path& target)
      : target_(target), path_(target.string() + ".unfinished-XXXXXX") {
    const std::filesystem::path folder = target.has_parent_path() ? target.parent_path() : ".";
    fd_ = ::open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0600);
    // By its descriptor it is read back, and gets its name.
    if (fd_ >= 0 && ::access(descriptor().c_str(), R_OK) != 0) {
      ::close(fd_);
      fd_ = -1;
    }
    has_name_ = fd_ < 0;
    if (has_name_) fd_ = ::mkstemp(path_.data());
    if (fd_ < 0) fail("cannot be written");
  }
  UnfinishedFile(const UnfinishedFile&) = delete;
  UnfinishedFile& operator=(const UnfinishedFile&) = delete;
  ~UnfinishedFile() {
    if (fd_ < 0) return;
    ::close(fd_);
    if (has_name_) ::unlink(path_.c_str());
  }

  void write(std::string_view bytes) {
    while (!bytes.empty()) {
      const ssize_t written = ::write(fd_, bytes.data(), bytes.size());
      if (written < 0 && errno == EINTR) continue;
      if (written < 0) fail("cannot be written");
      bytes.remove_prefix(static_cast<std::size_t>(written));
    }
  }

  // Reads back what the disk holds.
  void check(const std::string& digest, const std::function<void(const Source&)>& examine) const {
    const InputFile back(has_name_ ? path_ : descriptor());
    if (back.digest() != digest) {
      throw OutputError(target_.string() + ": what was read back differs from what was written");
    }
    if (examine) examine({target_.string(), back.source().bytes});
  }

  // Without `overwrite` an existing target is never replaced, not even one made meanwhile.
  void publish(bool overwrite) {
    const mode_t mask = ::umask(0);
    ::umask(mask);
    if (::fchmod(fd_, 0666 & ~mask) != 0 || ::fsync(fd_) != 0) fail("cannot be written");
    if (overwrite) {
      if (!has_name_) take_name();
      if (::rename(path_.c_str(), target_.c_str()) != 0) fail("cannot be replaced");
    } else {
      const bool is_linked =
          has_name_ ? ::link(path_.c_str(), target_.c_str()) == 0 : link_to(target_.string());
      if (!is_linked) fail("cannot be created");
      if (has_name_) ::unlink(path_.c_str());
    }
    ::close(fd_);
    fd_ = -1;
  }

 private:
  [[nodiscard]] std::string descriptor() const { return "/proc/self/fd/" + std::to_string(fd_); }
  [[nodiscard]] bool link_to(const std::string& path) const {
    return ::linkat(AT_FDCWD, descriptor().c_str(), AT_FDCWD, path.c_str(), AT_SYMLINK_FOLLOW) == 0;
  }
  // A link never replaces what is there: a name of its own first.
  void take_name() {
    const std::size_t end = path_.size() - 6;
    for (std::uint32_t i = 0; i < 1000; ++i) {
      path_ = path_.substr(0, end) + std::to_string(100000 + i);
      if (link_to(path_)) {
        has_name_ = true;
        return;
      }
      if (errno != EEXIST) break;
    }
    fail("cannot be replaced");
  }
  [[noreturn]] void fail(std::string_view what) const {
    throw OutputError(target_.string() + ": " + std::string(what) + ": " + std::strerror(errno));
  }

  std::filesystem::path target_;
  std::string path_;
  int fd_ = -1;
  bool has_name_ = false;
};

}  // namespace

WriteReport write_model(const ByteSink& sink, const Model& model, Format format,
                        const WriteOptions& options) {
  if (const auto write = info(format).write) return write(sink, model, options);
  throw ArgumentError("write: " + std::string(slug(format)) + " is not written; " +
                      formats_written("and") + " are");
}

std::string write_file(const std::filesystem::path& path,
                       const std::function<void(const ByteSink&)>& write, bool overwrite,
                       const std::function<void(const Source&)>& examine) {
  if (!overwrite && std::filesystem::exists(path)) {
    throw OutputError(path.string() + ": exists already; it is not overwritten unless asked to");
  }
  UnfinishedFile file(path);
  detail::Digest digest;
  write([&](std::string_view bytes) {
    file.write(bytes);
    digest.add(bytes);
  });
  std::string written = digest.text();
  file.check(written, examine);
  file.publish(overwrite);
  return written;
}

WriteReport write_model(const std::filesystem::path& path, const Model& model, Format format,
                        const WriteOptions& options, bool overwrite,
                        const std::function<void(const Source&)>& examine) {
  WriteReport report;
  const std::string digest = write_file(
      path, [&](const ByteSink& sink) { report = write_model(sink, model, format, options); },
      overwrite, examine);
  report.digest = digest;
  return report;
}

}  // namespace aguja
