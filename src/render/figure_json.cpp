// figure_json.cpp: see figure_json.h. One function describes each part both ways: a `Writer` puts the members
// into an object, a `Reader` takes them out of one, so that the two can't drift apart.
#include "render/figure_json.h"

#include <cmath>
#include <cstring>
#include <limits>

#include "base/error.h"
#include "render/base64.h"

namespace vprism {

namespace {

Error no_figure(const std::string& key) {
  return {Status::input, "no figure of this program: \"" + key + "\" is not as it should be; make it again"};
}

class Writer {
 public:
  Json out = Json::object();

  void text(const char* key, const std::string& value) {
    if (!value.empty()) out[key] = value;
  }
  void flag(const char* key, bool value) {
    if (value) out[key] = true;
  }
  template <typename T>
  void count(const char* key, const T& value, T usual) {
    if (value != usual) out[key] = value;
  }
  void real(const char* key, double value) { out[key] = number(value); }
  void maybe(const char* key, const std::optional<double>& value) {
    if (value) out[key] = number(*value);
  }
  void numbers(const char* key, const std::vector<double>& values) {
    if (values.empty()) return;
    Json list = Json::array();
    for (const double v : values) list.push_back(number(v));
    out[key] = std::move(list);
  }
  void texts(const char* key, const std::vector<std::string>& values) {
    if (!values.empty()) out[key] = values;
  }
  template <typename T>
  void bytes(const char* key, const std::vector<T>& values) {
    out[key] = to_base64({reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T)});
  }
  template <typename T>
  void part(const char* key, const T& value) {
    Writer inner;
    describe(inner, const_cast<T&>(value));
    out[key] = std::move(inner.out);
  }
  template <typename T>
  void maybe_part(const char* key, const std::optional<T>& value) {
    if (value) part(key, *value);
  }
  template <typename T>
  void list(const char* key, const std::vector<T>& values) {
    if (values.empty()) return;
    Json all = Json::array();
    for (const T& value : values) {
      Writer inner;
      describe(inner, const_cast<T&>(value));
      all.push_back(std::move(inner.out));
    }
    out[key] = std::move(all);
  }
};

class Reader {
 public:
  explicit Reader(const Json& json) : in_(json) {
    if (!json.is_object()) throw no_figure("figure");
  }
  void text(const char* key, std::string& value) { take(key, value); }
  void flag(const char* key, bool& value) { take(key, value); }
  template <typename T>
  void count(const char* key, T& value, T usual) {
    value = usual;
    take(key, value);
  }
  void real(const char* key, double& value) {
    if (const Json* j = at(key)) value = real_of(*j, key);
  }
  void maybe(const char* key, std::optional<double>& value) {
    if (const Json* j = at(key)) value = real_of(*j, key);
  }
  void numbers(const char* key, std::vector<double>& values) {
    const Json* j = at(key);
    if (j == nullptr) return;
    if (!j->is_array()) throw no_figure(key);
    values.reserve(j->size());
    for (const Json& v : *j) values.push_back(real_of(v, key));
  }
  void texts(const char* key, std::vector<std::string>& values) { take(key, values); }
  template <typename T>
  void bytes(const char* key, std::vector<T>& values) {
    std::string text;
    take(key, text);
    const std::string raw = from_base64(text);
    values.resize(raw.size() / sizeof(T));
    if (!values.empty()) std::memcpy(values.data(), raw.data(), values.size() * sizeof(T));
  }
  template <typename T>
  void part(const char* key, T& value) {
    const Json* j = at(key);
    if (j == nullptr) throw no_figure(key);
    Reader inner(*j);
    describe(inner, value);
  }
  template <typename T>
  void maybe_part(const char* key, std::optional<T>& value) {
    if (at(key) != nullptr) part(key, value.emplace());
  }
  template <typename T>
  void list(const char* key, std::vector<T>& values) {
    const Json* j = at(key);
    if (j == nullptr) return;
    if (!j->is_array()) throw no_figure(key);
    for (const Json& one : *j) {
      Reader inner(one);
      describe(inner, values.emplace_back());
    }
  }

 private:
  const Json* at(const char* key) const {
    const auto found = in_.find(key);
    return found == in_.end() ? nullptr : &*found;
  }
  template <typename T>
  void take(const char* key, T& value) const {
    const Json* j = at(key);
    if (j == nullptr) return;
    try {
      j->get_to(value);
    } catch (const Json::exception&) {
      throw no_figure(key);
    }
  }
  static double real_of(const Json& j, const char* key) {
    if (j.is_null()) return std::numeric_limits<double>::quiet_NaN();
    if (!j.is_number()) throw no_figure(key);
    return j.get<double>();
  }
  const Json& in_;
};

template <typename Way>
void describe(Way& way, FigureAxis& a) {
  way.text("quantity", a.quantity);
  way.text("unit", a.unit);
  way.flag("logarithmic", a.logarithmic);
  way.maybe("low", a.low);
  way.maybe("high", a.high);
}

template <typename Way>
void describe(Way& way, Curve& c) {
  way.text("name", c.name);
  way.numbers("x", c.x);
  way.numbers("y", c.y);
  way.numbers("high", c.high);
  way.count("colour", c.colour, 0);
  way.flag("shade", c.shade);
  way.numbers("right", c.right);
  int points = static_cast<int>(c.points);
  way.count("points", points, 0);
  if (points < 0 || points > 3) throw no_figure("points");
  c.points = static_cast<Curve::Points>(points);
}

template <typename Way>
void describe(Way& way, Mark& m) {
  way.real("x", m.x);
  way.real("y", m.y);
  way.text("label", m.label);
}

template <typename Way>
void describe(Way& way, ColourMap& m) {
  way.count("columns", m.columns, std::size_t{0});
  way.count("rows", m.rows, std::size_t{0});
  way.real("x_low", m.x_low), way.real("x_high", m.x_high);
  way.real("y_low", m.y_low), way.real("y_high", m.y_high);
  way.bytes("values_f32", m.values);
  way.text("quantity", m.quantity);
  way.text("unit", m.unit);
  way.flag("logarithmic", m.logarithmic);
  way.maybe("low", m.low);
  way.maybe("high", m.high);
  if (m.rows != 0 && m.values.size() / m.rows != m.columns) throw no_figure("values_f32");
}

template <typename Way>
void describe(Way& way, Relief& r) {
  way.numbers("x", r.x);
  way.numbers("y", r.y);
  way.bytes("values_f64", r.values);
  way.part("z", r.z);
  if (r.values.size() != r.x.size() * r.y.size()) throw no_figure("values_f64");
}

template <typename Way>
void describe(Way& way, Mesh::Place& p) {
  way.real("x", p.x), way.real("y", p.y), way.real("z", p.z);
}

template <typename Way>
void describe(Way& way, std::pair<std::size_t, std::size_t>& line) {
  way.count("from", line.first, std::size_t{0});
  way.count("to", line.second, std::size_t{0});
}

template <typename Way>
void describe(Way& way, Mesh& m) {
  way.list("rest", m.rest);
  way.list("moved", m.moved);
  way.numbers("value", m.value);
  way.list("lines", m.lines);
  way.part("z", m.z);
  way.part("value_axis", m.value_axis);
  for (const auto& [a, b] : m.lines)
    if (std::max(a, b) >= m.rest.size() || m.moved.size() != m.rest.size()) throw no_figure("lines");
}

template <typename Way>
void describe(Way& way, Panel& p) {
  way.text("title", p.title);
  way.part("x", p.x);
  way.part("y", p.y);
  way.list("curves", p.curves);
  way.list("marks", p.marks);
  way.numbers("verticals", p.verticals);
  way.texts("listing", p.listing);
  way.maybe_part("map", p.map);
  way.maybe_part("relief", p.relief);
  way.maybe_part("mesh", p.mesh);
  way.flag("square", p.square);
}

template <typename Way>
void describe(Way& way, Figure& f) {
  way.text("title", f.title);
  way.text("caption", f.caption);
  way.list("panels", f.panels);
  way.count("width", f.width, 1280);
  way.count("panel_height", f.panel_height, 0);
  way.count("columns", f.columns, 1);
  if (f.columns < 1 || f.columns > 16 || f.width < 100 || f.width > 20000) throw no_figure("width");
}

}  // namespace

Json figure_json(const Figure& figure) {
  Writer writer;
  describe(writer, const_cast<Figure&>(figure));
  return std::move(writer.out);
}

Figure figure_from_json(const Json& json) {
  Figure figure;
  Reader reader(json);
  describe(reader, figure);
  return figure;
}

}  // namespace vprism
