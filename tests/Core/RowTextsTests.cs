using Bandejo.Core.Fleet;
using Xunit;

namespace Bandejo.Core.Tests;

public class RowTextsTests
{
    private readonly RowTexts _texts = new();

    public RowTextsTests()
    {
        foreach (
            var (row, text) in new[] { (0, "DESK-001 ALD Folio 14"), (1, "DESK-002 Ålesund Folio 14"), (3, "KIOSK-001 ALD Slate"), (70, "LAB-9 ALD Folio 16") })
        {
            _texts.Set(row, text);
        }
    }

    [Theory]
    [InlineData("ald", "0 3 70")]
    [InlineData("ALD folio", "0 70")]
    [InlineData("folio\tald ", "0 70")]
    [InlineData("ålesund", "1")]
    [InlineData("-00", "0 1 3")]
    [InlineData("14", "0 1")]
    [InlineData("16", "70")]
    [InlineData("14 desk-002", "1")]
    [InlineData("14desk-002", "")]
    [InlineData("nowhere", "")]
    [InlineData(" ", "0 1 3 70")]
    public void Every_word_must_be_somewhere_in_the_text_of_a_row(string words, string rows) =>
        Assert.Equal(rows, string.Join(' ', _texts.Containing(words).Rows()));

    [Fact]
    public void A_text_that_changes_or_goes_is_found_as_it_is_now()
    {
        Assert.Equal([0, 3, 70], _texts.Containing("ald").Rows());

        _texts.Set(0, "DESK-001 Borrin");
        _texts.Set(70, "");
        _texts.Set(2, "DESK-900 ALD");

        Assert.Equal([2, 3], _texts.Containing("ald").Rows());
        Assert.Equal([0], _texts.Containing("borrin").Rows());
        Assert.Empty(_texts.Containing("lab").Rows());
    }

    [Fact]
    public void The_same_as_looking_at_each_text_alone()
    {
        var random = new Random(7);
        var texts = new RowTexts();
        var all = Enumerable.Range(0, 500).Select(_ => string.Concat(Enumerable.Range(0, random.Next(0, 9)).Select(_ => "ab c"[random.Next(4)]))).ToArray();
        for (var row = 0; row < all.Length; row++)
        {
            texts.Set(row, all[row]);
        }

        foreach (var word in new[] { "a", "ab", "abc", "cc", "bab", "aaaa" })
        {
            Assert.Equal(Enumerable.Range(0, all.Length).Where(row => all[row].Contains(word, StringComparison.Ordinal)), texts.Containing(word).Rows());
        }
    }
}
