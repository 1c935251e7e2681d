// Heavy, stable headers of most tests.
#pragma once
#include "../cmake/pch.h"
#include <catch2/catch.hpp>
#include <random>
