// Mutations of JSON that leave it JSON: values put in each other's place, of the wrong type, absurd, or taken away.
#pragma once
#include <cstring>
#include <nlohmann/json.hpp>
#include <random>
#include <vector>

extern "C" std::size_t LLVMFuzzerMutate(std::uint8_t* data, std::size_t size, std::size_t most);

/// New size of `data`. Every third time, and where it is no JSON, its bytes are mutated instead.
inline std::size_t mutateJson(std::uint8_t* data, std::size_t size, std::size_t most, unsigned seed) {
  using nlohmann::json;
  std::minstd_rand random(seed);
  json j = json::parse(data, data + size, nullptr, false);
  if (j.is_discarded() || random() % 3 == 0) return LLVMFuzzerMutate(data, size, most);
  std::vector<json*> all{&j};
  for (std::size_t k = 0; k < all.size(); ++k)
    if (all[k]->is_structured())
      for (json& child : *all[k]) all.push_back(&child);
  static const std::vector<json> odd{nullptr,
                                     true,
                                     0,
                                     -1,
                                     3,
                                     1e308,
                                     -1e308,
                                     1e-300,
                                     4e9,
                                     1e18,
                                     "nan",
                                     "\n%",
                                     json::array(),
                                     json::object(),
                                     {1, 2, 3},
                                     {{"name", nullptr}},
                                     std::string(3000, 'x')};
  json& at = *all[random() % all.size()];
  switch (random() % 4) {
  case 0:
    at = json(*all[random() % all.size()]);
    break;
  case 1:
    if (at.is_object() && !at.empty()) at.erase(std::next(at.begin(), static_cast<long>(random() % at.size())));
    break;
  case 2:
    if (at.is_array() && !at.empty()) at.push_back(json(at[random() % at.size()]));
    break;
  default:
    at = odd[random() % odd.size()];
  }
  const std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  if (text.size() > most) return LLVMFuzzerMutate(data, size, most);
  std::memcpy(data, text.data(), text.size());
  return text.size();
}
