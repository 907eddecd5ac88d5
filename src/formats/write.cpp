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

// A file that stands beside its target until it is whole. Gone again unless `publish` is reached.
class UnfinishedFile {
 public:
  explicit UnfinishedFile(const std::filesystem::path& target)
      : target_(target), path_(target.string() + ".unfinished-XXXXXX") {
    fd_ = ::mkstemp(path_.data());
    if (fd_ < 0) fail("cannot be written");
  }
  UnfinishedFile(const UnfinishedFile&) = delete;
  UnfinishedFile& operator=(const UnfinishedFile&) = delete;
  ~UnfinishedFile() {
    if (fd_ < 0) return;
    ::close(fd_);
    ::unlink(path_.c_str());
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
    const InputFile back(path_);
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
      if (::rename(path_.c_str(), target_.c_str()) != 0) fail("cannot be replaced");
    } else {
      if (::link(path_.c_str(), target_.c_str()) != 0) fail("cannot be created");
      ::unlink(path_.c_str());
    }
    ::close(fd_);
    fd_ = -1;
  }

 private:
  [[noreturn]] void fail(std::string_view what) const {
    throw OutputError(target_.string() + ": " + std::string(what) + ": " + std::strerror(errno));
  }

  std::filesystem::path target_;
  std::string path_;
  int fd_ = -1;
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
