#include "base/http.h"
#include "base/module.h"

namespace ampletie {

HttpAnswer http_get(const HttpRequest &r) {
  static const auto get = reinterpret_cast<HttpGetModule *>(module_function("network", "ampletie_get"));
  HttpAnswer out;
  get(r, out);
  return out;
}

void http_serve(const HttpService &s) {
  static const auto serve = reinterpret_cast<HttpServeModule *>(module_function("network", "ampletie_serve"));
  serve(s);
}

} // namespace ampletie
