#include "app/session/matching/seed_bank_keeper.h"

#include "core/base/parallel.h"

namespace facet {

void SeedBankKeeper::prepare() {
    if (fraction_ >= 0.0) return;
    fraction_ = 0.0;
    resume();
}

void SeedBankKeeper::resume() {
    if (fraction_ < 0.0 || fraction_ >= 1.0) return;
    growing_.request({[known = usable_](const Task& task, const auto& publish) {
                          const auto give = [&](const SeedBank& bank) {
                              publish(std::make_shared<const SeedBank>(bank));
                          };
                          const auto file = SeedBank::cacheFile();
                          const SeedBank bank = known ? *known : SeedBank::load(file);
                          give(bank);
                          bank.completed(file, hardwareThreads(), task, give); // what is made of it is kept on a stop
                      },
                      [this](const SeedBankPtr& bank) {
                          if (bank->size() >= SeedBank::usable) usable_ = bank;
                          fraction_ = static_cast<double>(bank->size()) / SeedBank::full;
                          emit changed();
                      }});
}

} // namespace facet

#include "moc_seed_bank_keeper.cpp"
