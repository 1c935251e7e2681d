#include "publication/landxml.h"

namespace ampletie {

std::string last_decision(const Job &job) {
  return job.decisions().empty() ? std::string("1980-01-06T00:00:00Z") : job.decisions().back().time;
}

pugi::xml_node begin_landxml(pugi::xml_document &doc, const Job &job) {
  const JobSettings &set = job.state().settings;
  return begin_landxml(doc, LandXmlHead{last_decision(job), set.datum.crs,
                                        set.datum.vertical.empty() ? "" : system_name(set.datum.vertical), set.title});
}

pugi::xml_node begin_landxml(pugi::xml_document &doc, const LandXmlHead &head) {
  auto declaration = doc.append_child(pugi::node_declaration);
  declaration.append_attribute("version") = "1.0";
  declaration.append_attribute("encoding") = "UTF-8";
  auto root = doc.append_child("LandXML");
  const std::string &time = head.time;
  for (const auto &[name, value] : std::initializer_list<std::pair<const char *, std::string>>{
           {"xmlns", "http://www.landxml.org/schema/LandXML-1.2"},
           {"version", "1.2"},
           {"date", time.substr(0, 10)},
           {"time", time.substr(11, 8)},
           {"language", "English"},
           {"readOnly", "false"}})
    root.append_attribute(name) = value.c_str();
  auto metric = root.append_child("Units").append_child("Metric");
  for (const auto &[name, value] :
       std::initializer_list<std::pair<const char *, const char *>>{{"linearUnit", "meter"},
                                                                    {"areaUnit", "squareMeter"},
                                                                    {"volumeUnit", "cubicMeter"},
                                                                    {"temperatureUnit", "celsius"},
                                                                    {"pressureUnit", "milliBars"}})
    metric.append_attribute(name) = value;
  auto system = root.append_child("CoordinateSystem");
  system.append_attribute("name") = is_described(head.crs) ? system_name(head.crs).c_str() : head.crs.c_str();
  if (head.crs.rfind("EPSG:", 0) == 0) system.append_attribute("epsgCode") = head.crs.substr(5).c_str();
  if (!head.vertical_name.empty()) system.append_attribute("verticalDatum") = head.vertical_name.c_str();
  root.append_child("Project").append_attribute("name") = head.title.c_str();
  root.append_child("Application").append_attribute("name") = "Ample Tie";
  return root;
}

} // namespace ampletie
