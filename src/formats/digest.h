#pragma once
// SHA-256 of files, so that anybody can check a certificate with a common tool.

#include <memory>
#include <string>
#include <string_view>

namespace aguja::detail {

class Digest {
 public:
  Digest();
  ~Digest();
  Digest(const Digest&) = delete;
  Digest& operator=(const Digest&) = delete;

  void add(std::string_view bytes);
  /// `sha256:` and 64 hexadecimal digits. Call once.
  [[nodiscard]] std::string text();

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace aguja::detail
