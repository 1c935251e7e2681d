#pragma once

namespace ampletie {

/// Ratio of the second-best to the best squared norm from which on no more than one set of integers in 10 000 is
/// accepted wrongly, given how many there are and the probability that rounding one after the other fails (Teunissen
/// and Verhagen 2009, fixed failure rate; simulated by tests/long/ratio_limits.cpp). 1 when that probability is below
/// 1e-4 anyway; from 1e-3 on the largest limit of the table is not enough and infinity comes back.
double fixed_failure_ratio(long integers, double failure_probability);

} // namespace ampletie
