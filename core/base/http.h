#pragma once
#include <cstdint>
#include <functional>
#include <string>
#include <string_view>

namespace ampletie {

struct HttpRequest {
  std::string url;                              ///< http or https
  std::uint64_t from = 0;                       ///< bytes that are here already; what follows them is asked for
  double patience_s = 20;                       ///< how long nothing may come
  std::function<bool(std::string_view)> take{}; ///< gets the body piece by piece; false: stop
  std::function<bool()> stop{};                 ///< asked a few times a second; true: stop
  /// Called once before the body: whether it is wanted, and from which byte on it is given (0: from its beginning).
  std::function<bool(int status, std::uint64_t from)> begin{};
};

struct HttpAnswer {
  int status = 0;      ///< 0: nobody answered
  std::string trouble; ///< in words; empty: the body came to its end
  bool stopped = false;
};

/// Fetches one thing over the network, which only this does. Redirections to another host are not followed. Never
/// throws for what the other side does; throws `InputError` when the installation lacks the part that does it.
HttpAnswer http_get(const HttpRequest &r);
using Http = std::function<HttpAnswer(const HttpRequest &)>;

/// A service on this machine alone: `answer` gets the head of a request and gives the bytes to be sent in return, head
/// and body; then the connection is closed, whatever their length said.
struct HttpService {
  int port = 0; ///< 0: any that is free
  std::function<std::string(const std::string &head)> answer{};
  std::function<void(int port)> ready{};
  std::function<bool()> stop{}; ///< asked a few times a second
};
/// Serves until `stop`. Throws `InputError` when the port is taken.
void http_serve(const HttpService &s);

using HttpGetModule = void(const HttpRequest &r, HttpAnswer &out);
using HttpServeModule = void(const HttpService &s);

} // namespace ampletie
