#include "base/text.h"
#include "render/render.h"
#include "support/temporary_folder.h"
#include <catch2/catch.hpp>

using namespace ampletie;
using namespace ampletie::testing;
using Catch::Matchers::Contains;

TEST_CASE("a report becomes a page that says the same, with nothing of it taken for markup") {
  Report r;
  r.title = "Control <b>of</b> \"Ålesund\" & more";
  r.subtitle = "sub";
  r.sections.push_back(
      {"Marks", {"a < b & c"}, {{"t", {{"mark", "", false}, {"east", "m"}}, {{"<script>", "1.2345"}}}}});
  const std::string html = render_html(r);
  CHECK_THAT(html, Contains("&lt;b&gt;of&lt;/b&gt;") && Contains("&amp; more") && Contains("Ålesund"));
  CHECK_THAT(html, Contains("a &lt; b &amp; c") && Contains("&lt;script&gt;") && !Contains("<script>"));
  CHECK_THAT(html, Contains("1.2345") && Contains("charset"));
}

TEST_CASE("a report as PDF is a document of pages, a long one of several") {
  Report r;
  r.title = "Report", r.footer = "the foot";
  ReportTable t{"", {{"mark", "", false}, {"east", "m"}}, {}};
  for (int i = 0; i < 10; ++i) t.rows.push_back({"M" + std::to_string(i), "1.2345"});
  r.sections.push_back({"Marks", {}, {t}});
  const auto pages = [](const std::string &pdf) {
    std::size_t n = 0;
    for (auto at = pdf.find("/Type /Page\n"); at != std::string::npos; at = pdf.find("/Type /Page\n", at + 1)) ++n;
    return n;
  };
  const std::string one = render_pdf(r);
  CHECK(one.substr(0, 5) == "%PDF-");
  CHECK(pages(one) == 1);
  for (int i = 0; i < 200; ++i) r.sections[0].tables[0].rows.push_back({"N" + std::to_string(i), "2.5"});
  CHECK(pages(render_pdf(r)) > 2);
  TemporaryFolder folder;
  write_report(r, folder / "a.pdf");
  CHECK(read_file(folder / "a.pdf").substr(0, 5) == "%PDF-");
  write_report(r, folder / "a.html");
  CHECK_THAT(read_file(folder / "a.html"), Contains("the foot"));
}
