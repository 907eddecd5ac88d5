// Exchange structures of ISO 10303-21: where entities stand, and what they say.

#include <gtest/gtest.h>

#include "aguja/base/error.h"
#include "aguja/formats/format.h"
#include "aguja/formats/read_surfaces.h"
#include "formats/part21.h"
#include "tests/support/exchange_text.h"
#include "tests/support/random_mesh.h"

namespace aguja {
namespace part21_test {

using detail::decoded_text;
using detail::Part21;
using test::step_file;

TEST(Part21, FindsEntitiesWhateverStandsBetweenThem) {
  const std::string text = step_file(
      "#3 = A('it''s; #9=B();', (1, 2.5E-3, -.5), $, *, .T., #1) ;/* #7=C(); "
      "*/\n#1=B(\n)\n;#20=(X(1)Y((2,3),TYPED(4.)));");
  const Part21 file({"x", text});
  ASSERT_EQ(file.size(), 3u);
  std::vector<std::uint64_t> numbers;
  file.for_each([&](const Part21::Entry& entry) { numbers.push_back(entry.number); });
  EXPECT_EQ(numbers, (std::vector<std::uint64_t>{1, 3, 20}));
  const detail::Entity e = file.parse(3);
  const detail::Fields f(e, e.record("A"));
  EXPECT_EQ(f.text(0), "it's; #9=B();");
  EXPECT_EQ(f.numbers(1), (std::vector<double>{1, 2.5e-3, -0.5}));
  EXPECT_TRUE(f.flag(4));
  EXPECT_EQ(f.reference(5), 1u);
  const detail::Entity whole = file.parse(20);
  EXPECT_TRUE(whole.is("X") && whole.is("Y"));
  EXPECT_EQ(detail::Fields(whole, whole.record("Y")).number(1), 4);
  EXPECT_THROW(static_cast<void>(file.parse(99)), detail::EntityError);
  EXPECT_THROW(static_cast<void>(f.number(0)), detail::EntityError);
  EXPECT_THROW(static_cast<void>(f.at(17)), detail::EntityError);
}

// What a file holds, or why it holds nothing.
std::string contents(const std::string& text, std::size_t stretch) {
  try {
    const Part21 file({"x", text}, stretch);
    std::string all = std::string(file.schema()) + std::to_string(file.repeated());
    file.for_each([&](const Part21::Entry& e) {
      all +=
          "\n" + std::to_string(e.number) + "|" + std::string(e.type) + "|" + std::string(e.text);
    });
    return all;
  } catch (const InputError& error) {
    return std::string("refused: ") + error.what();
  }
}

TEST(Part21, IsTheSameInStretchesOfAnyLength) {
  const std::vector<std::string> pieces = {"#%=A('it''s;\n#9=B();', $);\n",
                                           "/* ;\n#7=C(); */\n",
                                           "#%=B('',(1.,2.));\n",
                                           "#%=(X(1)Y(#2));\r\n",
                                           "#%=D('/*;\r\n#4=E(');",
                                           "\n\n",
                                           "ENDSEC;\nDATA;\n",
                                           "#%=F(1/*;\n#5*/);\n",
                                           "#%=G(#1,'a;b');\n"};
  std::size_t refused = 0;
  for (std::uint64_t seed = 1; seed <= 300; ++seed) {
    test::Random random(seed);
    std::string data;
    for (std::size_t i = 0, n = random.index(40); i < n; ++i) {
      std::string piece = pieces[random.index(pieces.size())];
      if (const std::size_t at = piece.find('%'); at != std::string::npos)
        piece.replace(at, 1, std::to_string(1 + (random.chance(0.9) ? i : random.index(9))));
      data += piece;
    }
    std::string text = step_file(data);
    if (random.chance(0.3)) text.resize(random.index(text.size()));
    if (random.chance(0.1)) text.insert(random.index(text.size()), "'");
    const std::string whole = contents(text, text.size() + 1);
    refused += whole.starts_with("refused");
    for (const std::size_t stretch : {1, 5, 17, 64, 300})
      ASSERT_EQ(contents(text, stretch), whole) << seed << " in stretches of " << stretch;
  }
  EXPECT_GE(refused, 20u);
}

TEST(Part21, DecodesTextOfTheStandard) {
  EXPECT_EQ(decoded_text("a''b\\\\c"), "a'b\\c");
  EXPECT_EQ(decoded_text("\\X2\\00E40152\\X0\\x"), "ä\xC5\x92x");
  EXPECT_EQ(decoded_text("\\X4\\0001F600\\X0\\"), "\xF0\x9F\x98\x80");
  EXPECT_EQ(decoded_text("\\X\\E4\\S\\d"), "ää");
  EXPECT_EQ(decoded_text("\\X2\\zz"), "zz") << "what is no code is kept";
  EXPECT_EQ(decoded_text("toroid_\r\n8100 \\X2\\00\nE4\\X0\\"), "toroid_8100 ä");
}

TEST(Part21, TextThatIsNoUtf8IsTakenAsLatin) {
  EXPECT_EQ(decoded_text("H\xFClse"), "H\xC3\xBClse");
  EXPECT_EQ(decoded_text("H\xC3\xBClse"), "H\xC3\xBClse");
  EXPECT_EQ(decoded_text("\xE4\\X\\F6"), "\xC3\xA4\xC3\xB6");
}

TEST(Part21, AByteOrderMarkIsNoFault) {
  const std::string text = "\xEF\xBB\xBF" + step_file("#1=A(1);");
  EXPECT_EQ(Part21({"x", text}).size(), 1u);
  EXPECT_EQ(format_of_content(text), Format::step);
}

TEST(Part21, FilesThatAreNoneSayWhere) {
  const auto message = [](const std::string& text) -> std::string {
    try {
      static_cast<void>(read_step({"x.step", text}));
    } catch (const InputError& error) {
      return error.what();
    }
    return "";
  };
  EXPECT_NE(message("hello").find("byte 0"), std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nHEADER;\nENDSEC;\n").find("no data section"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A('x);\nENDSEC;").find("a text has no end"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(/*);\nENDSEC;").find("a comment has no end"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(1)").find("#1 has no end"), std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1 A(1);\nENDSEC;").find("expected = after #1"),
            std::string::npos);
  EXPECT_NE(message("ISO-10303-21;\nDATA;\n#1=A(1);").find("has no end"), std::string::npos);
}

}  // namespace part21_test
}  // namespace aguja
