// Learns the levers from the person's own turns: which moves were made, and how many arcminutes a turn gives.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/measured.h"
#include "core/base/text.h"
#include "core/sky/instant.h"

namespace nordstjerna {

enum class Lever { azimuth, altitude };

struct LeverMove {
    Lever lever = Lever::azimuth;
    Measured amount_arcmin;      // signed, east or up positive
    std::optional<double> turns; // as the person says, never negative
};

class LeverMoves {
public:
    // Lever positions since the reference, in order of time. A move counts once the lever rests again.
    void add(const Measured& azimuth_arcmin, const Measured& altitude_arcmin);
    // The person says how much the last finished move was. False when there is none.
    bool nameLast(double turns);

    const std::vector<LeverMove>& moves() const { return moves_; }
    std::optional<LeverMove> last(Lever lever) const;
    // From the named moves of that lever; absent until one was named.
    std::optional<double> arcminPerTurn(Lever lever) const;
    // Positions begin anew (another reference); what was learnt stays.
    void forgetPositions();
    bool moving() const { return track_[0].moving || track_[1].moving; }
    // Both levers jumped at once since the last call: rather a bump than two hands.
    bool takeBump();

private:
    struct Track {
        bool known = false;
        bool moving = false;
        Measured rest, last;
    };
    Track track_[2];
    std::vector<LeverMove> moves_;
    bool bump_ = false;
};

// How much to turn, in the terms of the person's own turns: "half a turn", or "a third of the last turn, the
// other way". Empty when nothing is known yet.
Text turnWords(const LeverMoves& moves, Lever lever, double wanted_arcmin);

// "half a turn", "about a quarter", "1/3", "1 1/2", "½", "0.4 turns" → turns. Absent when it is none of
// these.
std::optional<double> parseTurns(const std::string& text);

} // namespace nordstjerna
