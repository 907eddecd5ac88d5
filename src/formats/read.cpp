#include "aguja/formats/read.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "aguja/base/printable.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/prepare.h"
#include "formats/digest.h"

namespace aguja {
namespace {

[[noreturn]] void fail(const std::string& name, InputProblem problem, std::string text,
                       std::string expected, std::string found) {
  throw InputError(
      {problem, name, std::nullopt, std::move(text), std::move(expected), std::move(found)});
}

class Descriptor {
 public:
  explicit Descriptor(const std::string& name) : fd_(::open(name.c_str(), O_RDONLY | O_CLOEXEC)) {
    if (fd_ < 0) {
      const std::string why = std::strerror(errno);
      fail(name, InputProblem::not_readable, "cannot be read: " + why, "a readable file", why);
    }
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  ~Descriptor() { ::close(fd_); }
  [[nodiscard]] int get() const { return fd_; }

 private:
  int fd_;
};

std::string read_all(int fd, const std::string& name) {
  std::string bytes;
  char buffer[1 << 16];
  while (true) {
    const ssize_t got = ::read(fd, buffer, sizeof(buffer));
    if (got == 0) return bytes;
    if (got < 0) {
      if (errno == EINTR) continue;
      const std::string why = std::strerror(errno);
      fail(name, InputProblem::not_readable, "cannot be read: " + why, "a readable file", why);
    }
    bytes.append(buffer, static_cast<std::size_t>(got));
  }
}

void name_parts(Model& model, const std::string& stem) {
  std::size_t nameless = 0;
  for (const Part& part : model.parts) nameless += part.name.empty();
  std::size_t number = 0;
  for (Part& part : model.parts) {
    if (!part.name.empty()) continue;
    part.name = nameless == 1 ? stem : stem + "-" + std::to_string(++number);
  }
}

// Names go to terminals, and into lines of other files.
bool make_printable(std::string& name) {
  if (is_printable(name)) return false;
  name = printable(name);
  return true;
}

std::size_t clean_names(Model& model) {
  std::size_t cleaned = 0;
  for (Part& part : model.parts) {
    cleaned += make_printable(part.name);
    const auto& patches = part.patch_names();
    if (std::all_of(patches.begin(), patches.end(), is_printable)) continue;
    PartDraft draft(std::move(part));
    for (std::string& name : draft.patch_names) cleaned += make_printable(name);
    part = std::move(draft);
  }
  return cleaned;
}

std::size_t clean_names(SurfaceModel& surfaces) {
  std::size_t cleaned = 0;
  for (BodyInstance& instance : surfaces.instances) cleaned += make_printable(instance.name);
  for (Body& body : surfaces.bodies) {
    cleaned += make_printable(body.name);
    for (Face& face : body.faces) {
      cleaned += make_printable(face.name) + make_printable(face.layer);
      for (std::string& group : face.groups) cleaned += make_printable(group);
    }
  }
  return cleaned;
}

void note_cleaned(Model& model, std::size_t names) {
  if (names == 0) return;
  model.notes.push_back(std::to_string(names) + (names == 1 ? " name holds" : " names hold") +
                        " characters that cannot be shown: each is a \xEF\xBF\xBD now");
}

}  // namespace

struct InputFile::Impl {
  std::string name;
  std::string copy;  // of what cannot be mapped
  void* map = MAP_FAILED;
  std::size_t size = 0;

  ~Impl() {
    if (map != MAP_FAILED) ::munmap(map, size);
  }
};

InputFile::InputFile(const std::filesystem::path& path) : impl_(std::make_unique<Impl>()) {
  impl_->name = path.string();
  const Descriptor fd(impl_->name);
  struct stat status {};
  if (::fstat(fd.get(), &status) == 0 && S_ISDIR(status.st_mode)) {
    fail(impl_->name, InputProblem::not_readable, "is a folder; expected a file", "a file",
         "a folder");
  }
  if (S_ISREG(status.st_mode) && status.st_size > 0) {
    impl_->size = static_cast<std::size_t>(status.st_size);
    impl_->map = ::mmap(nullptr, impl_->size, PROT_READ, MAP_PRIVATE, fd.get(), 0);
    if (impl_->map != MAP_FAILED) ::madvise(impl_->map, impl_->size, MADV_WILLNEED);
  }
  if (impl_->map == MAP_FAILED) impl_->copy = read_all(fd.get(), impl_->name);
  if (source().bytes.empty()) {
    fail(impl_->name, InputProblem::empty, "the file is empty", "a model", "no bytes");
  }
}

InputFile::InputFile(InputFile&&) noexcept = default;
InputFile& InputFile::operator=(InputFile&&) noexcept = default;
InputFile::~InputFile() = default;

Source InputFile::source() const {
  if (impl_->map == MAP_FAILED) return {impl_->name, impl_->copy};
  return {impl_->name, {static_cast<const char*>(impl_->map), impl_->size}};
}

std::string InputFile::digest() const {
  detail::Digest digest;
  digest.add(source().bytes);
  return digest.text();
}

Model read_model(const Source& source, const ReadOptions& options, Progress* progress) {
  if (source.bytes.empty()) {
    fail(source.name, InputProblem::empty, "the file is empty", "a model", "no bytes");
  }
  const std::optional<Format> format = known_format(source, options);
  if (!format) {
    fail(source.name, InputProblem::unknown_format,
         "neither the content nor the name is that of a format that is read (" + formats_read("") +
             ")",
         formats_read(), "something else");
  }
  if (!info(*format).is_read()) {
    fail(source.name, InputProblem::unsupported,
         std::string(info(*format).name) + " is written, not read; read are " + formats_read("and"),
         formats_read(), std::string(slug(*format)));
  }
  if (is_surface_format(*format)) {
    SurfaceModel surfaces = read_surface_model(source, options, progress);
    const PrepareOptions how =
        options.surfaces ? options.surfaces(surfaces.unit) : PrepareOptions{};
    const std::size_t cleaned = clean_names(surfaces);
    Model model = prepare(std::move(surfaces), how, progress);
    note_cleaned(model, cleaned);
    model.sources[0].file = source.name;
    return model;
  }
  Model model = info(*format).read(source, options, progress);
  note_cleaned(model, clean_names(model));
  if (options.unit) {
    model.unit = *options.unit;
    model.unit_assumed = false;
  }
  name_parts(model, std::filesystem::path(source.name).stem().string());
  return model;
}

SurfaceModel read_surface_model(const Source& source, const ReadOptions& options,
                                Progress* progress) {
  const std::optional<Format> format = known_format(source, options);
  const FormatInfo& how = info(format && is_surface_format(*format) ? *format : Format::step);
  SurfaceModel surfaces = how.read_surfaces(source, options, progress);
  if (options.unit) {
    surfaces.unit = *options.unit;
    surfaces.unit_assumed = false;
  }
  // Placements in one another may leave the range of doubles.
  const std::size_t flattened = std::erase_if(
      surfaces.instances, [](const BodyInstance& i) { return !i.placement.is_regular(); });
  if (flattened > 0) surfaces.not_understood.push_back({"placement", flattened});
  const std::string stem = std::filesystem::path(source.name).stem().string();
  std::size_t nameless = 0;
  for (const BodyInstance& i : surfaces.instances) nameless += i.name.empty();
  std::size_t number = 0;
  for (BodyInstance& i : surfaces.instances) {
    if (i.name.empty()) i.name = nameless == 1 ? stem : stem + "-" + std::to_string(++number);
  }
  return surfaces;
}

std::optional<Format> known_format(const Source& source, const ReadOptions& options) {
  if (options.format) return options.format;
  if (const auto by_content = format_of_content(source.bytes)) return by_content;
  return format_of_name(source.name);
}

Model read_model(const std::filesystem::path& path, const ReadOptions& options,
                 Progress* progress) {
  const InputFile file(path);
  return read_model(file.source(), options, progress);
}

Model read_models(std::span<const std::filesystem::path> paths, const ReadOptions& options,
                  Progress* progress) {
  if (paths.empty()) throw ArgumentError("no file to read");
  Model all = read_model(paths[0], options, progress);
  for (const std::filesystem::path& path : paths.subspan(1)) {
    append(all, read_model(path, options, progress), path.string());
  }
  if (paths.size() > 1 && all.unit_assumed) {
    all.notes.push_back("all files are taken to be in " + std::string(symbol(all.unit)));
  }
  return all;
}

}  // namespace aguja
