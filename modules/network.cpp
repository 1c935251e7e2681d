// Speaks HTTP with Qt. Called by core/base/http.cpp alone.
#include "base/error.h"
#include "base/http.h"
#include <QCoreApplication>
#include <QEventLoop>
#include <QHostAddress>
#include <QNetworkAccessManager>
#include <QNetworkReply>
#include <QTcpServer>
#include <QTcpSocket>
#include <QTimer>
#include <memory>

namespace {
using namespace ampletie;

/// Without a desktop Qt still wants an application. It must go before the program ends.
class Application {
public:
  Application() {
    if (!QCoreApplication::instance()) own_ = std::make_unique<QCoreApplication>(count_, arguments_);
  }

private:
  int count_ = 1;
  char name_[6] = "ample";
  char *arguments_[2] = {name_, nullptr};
  std::unique_ptr<QCoreApplication> own_;
};

std::uint64_t first_byte(const QNetworkReply &reply) {
  // "bytes 1000-1999/2000"
  const QByteArray range = reply.rawHeader("Content-Range");
  if (!range.startsWith("bytes ")) return 0;
  return range.mid(6, range.indexOf('-') - 6).toULongLong();
}

std::string trouble_of(const QNetworkReply &reply, int status) {
  if (status >= 400) return "the archive answers " + std::to_string(status);
  return reply.errorString().toStdString();
}
} // namespace

extern "C" __attribute__((visibility("default"))) void ampletie_get(const HttpRequest &r, HttpAnswer &out) {
  const Application application;
  const QUrl url(QString::fromStdString(r.url), QUrl::StrictMode);
  if (!url.isValid() || (url.scheme() != "http" && url.scheme() != "https") || url.host().isEmpty()) {
    out.trouble = "\"" + r.url + "\" is no address of the form http://HOST/FOLDER";
    return;
  }
  QEventLoop loop; // before anything that listens: a thread that Qt did not begin has no events until then
  QNetworkAccessManager manager;
  QNetworkRequest request(url);
  request.setAttribute(QNetworkRequest::RedirectPolicyAttribute, QNetworkRequest::SameOriginRedirectPolicy);
  request.setRawHeader("Accept-Encoding", "identity"); // sums are those of the bytes as they lie there
  request.setTransferTimeout(static_cast<int>(1000 * r.patience_s));
  if (r.from > 0) request.setRawHeader("Range", "bytes=" + QByteArray::number(static_cast<qulonglong>(r.from)) + "-");
  const std::unique_ptr<QNetworkReply> reply(manager.get(request));
  bool begun = false, stopped = false;
  const auto stop = [&] { stopped = true, reply->abort(); };
  const auto read = [&] {
    if (stopped) return;
    const int status = reply->attribute(QNetworkRequest::HttpStatusCodeAttribute).toInt();
    if (status != 200 && status != 206) return;
    if (!begun && r.begin && !r.begin(status, status == 206 ? first_byte(*reply) : 0)) return stop();
    begun = true;
    const QByteArray bytes = reply->readAll();
    if (!bytes.isEmpty() && r.take && !r.take({bytes.constData(), static_cast<std::size_t>(bytes.size())})) stop();
  };
  QObject::connect(reply.get(), &QNetworkReply::readyRead, &loop, read);
  QObject::connect(reply.get(), &QNetworkReply::finished, &loop, [&] {
    read();
    loop.quit();
  });
  QTimer ask;
  QObject::connect(&ask, &QTimer::timeout, &loop, [&] {
    if (r.stop && r.stop()) stop();
  });
  ask.start(200);
  if (!reply->isFinished()) loop.exec();
  out.status = reply->attribute(QNetworkRequest::HttpStatusCodeAttribute).toInt();
  out.stopped = stopped;
  if (!stopped && reply->error() != QNetworkReply::NoError) out.trouble = trouble_of(*reply, out.status);
  if (!stopped && out.trouble.empty() && out.status != 200 && out.status != 206)
    out.trouble = "the archive answers " + std::to_string(out.status);
}

namespace {
/// Reads the head of one request and answers it.
void attend(QTcpSocket *socket, const HttpService &s) {
  auto head = std::make_shared<QByteArray>();
  QObject::connect(socket, &QTcpSocket::readyRead, socket, [socket, head, &s] {
    head->append(socket->readAll());
    if (head->size() > 65536) return socket->abort();
    if (!head->contains("\r\n\r\n")) return;
    const std::string reply = s.answer(head->toStdString());
    head->clear();
    socket->write(reply.data(), static_cast<qint64>(reply.size()));
    socket->disconnectFromHost(); // after everything is written
  });
  QObject::connect(socket, &QTcpSocket::disconnected, socket, &QObject::deleteLater);
}
} // namespace

extern "C" __attribute__((visibility("default"))) void ampletie_serve(const HttpService &s) {
  const Application application;
  QEventLoop loop; // as above
  QTcpServer server;
  if (!server.listen(QHostAddress::LocalHost, static_cast<quint16>(s.port)))
    throw InputError("port " + std::to_string(s.port) + ": " + server.errorString().toStdString());
  QObject::connect(&server, &QTcpServer::newConnection, &server, [&] {
    while (QTcpSocket *socket = server.nextPendingConnection()) attend(socket, s);
  });
  if (s.ready) s.ready(server.serverPort());
  QTimer ask;
  QObject::connect(&ask, &QTimer::timeout, &loop, [&] {
    if (s.stop && s.stop()) loop.quit();
  });
  ask.start(100);
  loop.exec();
}
