// orders.h: what `orders` hands from measuring to telling, tables and pictures.
#pragma once

#include <string>
#include <vector>

#include "commands/shared/input.h"
#include "frame/console.h"
#include "identify/rotating/cycles.h"
#include "identify/rotating/orders.h"
#include "render/figure.h"
#include "transform/maps/level_map.h"

namespace vprism {

struct OrdersOfChannel {
  Channel channel;
  OrderAnalysis orders;
  LevelMap frequencies;  ///< Frequency over speed.
};

struct OrdersResult {
  InputFacts facts;
  ShaftAngle shaft;
  std::string speed_from;
  PulseTrain pulses;
  double slowest = 0, fastest = 0;
  std::vector<OrdersOfChannel> channels;
};

/// Orders that passed a resonance too quickly to read it.
void warn_of_quick_crossings(const OrdersOfChannel& orders, std::vector<Caution>& out);
void report_orders(const OrdersResult& result, Delivery& delivery);
/// `revolutions`: of the blocks.
Figure orders_figure(const OrdersResult& result, const OrdersOfChannel& orders, double revolutions);

}  // namespace vprism
