#include "formats/digest.h"

#include <openssl/evp.h>

#include "aguja/base/error.h"

namespace aguja::detail {

struct Digest::Impl {
  EVP_MD_CTX* context = EVP_MD_CTX_new();
  ~Impl() { EVP_MD_CTX_free(context); }
};

Digest::Digest() : impl_(std::make_unique<Impl>()) {
  if (impl_->context == nullptr || EVP_DigestInit_ex(impl_->context, EVP_sha256(), nullptr) != 1) {
    throw InternalError("digest: SHA-256 is not available");
  }
}
Digest::~Digest() = default;

void Digest::add(std::string_view bytes) {
  EVP_DigestUpdate(impl_->context, bytes.data(), bytes.size());
}

std::string Digest::text() {
  unsigned char bytes[EVP_MAX_MD_SIZE];
  unsigned int size = 0;
  EVP_DigestFinal_ex(impl_->context, bytes, &size);
  std::string text = "sha256:";
  constexpr std::string_view kDigits = "0123456789abcdef";
  for (unsigned int i = 0; i < size; ++i) {
    text += kDigits[bytes[i] >> 4];
    text += kDigits[bytes[i] & 15u];
  }
  return text;
}

}  // namespace aguja::detail
