#pragma once
#include "geodesy/frame.h"

/// The frame that the networks of these tests are in.
inline const ampletie::Frame frame{"EPSG:7930"};
