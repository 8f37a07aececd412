using System.Text;
using Bandejo.Core.Installers;
using Xunit;

namespace Bandejo.Core.Tests.Installers;

/// <summary>What a person knows of a setup becomes a hint by which others of its sort are recognised.</summary>
public sealed class HintDraftTests
{
    private static readonly byte[] Mark = [.. "QUILLPACK\u0001 made up"u8];

    [Fact]
    public void A_hint_made_of_two_setups_recognises_a_third_and_no_other_program()
    {
        var mark = Of(("a.exe", Setup(1)), ("b.exe", Setup(2))).Value;
        var hints = HintCatalog.Own.With(HintDraft.Write(mark, "packer of our own", ["--quiet", "/D=x y"], "a.exe"), "mine.yaml").Value;

        var found = Inspect(Setup(3), hints);
        Assert.Equal(("Windows setup program: packer of our own", Certainty.Likely), (found.KindInWords, found.CommandFor("install")!.Certainty));
        Assert.Equal(["c.exe", "--quiet", "/D=x y"], found.CommandFor("install")!.Run);
        Assert.Equal("Windows program", Inspect(Samples.Program("Foldline", "1.0"), hints).KindInWords);
    }

    [Fact]
    public void A_script_is_known_by_what_it_says_of_its_maker()
    {
        var script = Encoding.ASCII.GetBytes("#!/bin/sh\n# Packed with quillpack 3\nexit 0\n");
        var mark = Of(("a.run", script)).Value;
        Assert.Equal(("linux", "head", "# Packed with quillpack 3"), (mark.System, mark.Look, mark.InWords));
    }

    [Theory]
    [InlineData("504B0304AABBCCDDEEFF0102", "begins as files of all sorts do")]
    [InlineData("0101010101010101010101010101", "begins as files of all sorts do")]
    [InlineData("", "Nothing is appended to a.exe")]
    public void What_marks_nothing_is_refused(string overlay, string says) =>
        Assert.Contains(says, Of(("a.exe", Samples.Program("Foldline", "1.0", overlay: Convert.FromHexString(overlay)))).Failure!.Message);

    [Fact]
    public void Files_with_nothing_in_common_give_no_hint()
    {
        Assert.Contains(
            "no mark in common",
            Of(("a.exe", Setup(1)), ("b.exe", Samples.Program("Foldline", "1.0", overlay: [.. "another maker's mark"u8]))).Failure!.Message);
        Assert.Contains("cannot be read", Of(("a.exe", "MZ"u8.ToArray())).Failure!.Message);
    }

    private static byte[] Setup(byte number) => Samples.Program("Foldline", "1.0", overlay: [.. Mark, number, .. Enumerable.Repeat(number, 600)]);

    private static Outcome<HintMark> Of(params (string Name, byte[] Content)[] files) =>
        HintDraft.MarkOf([.. files.Select(file => (file.Name, (Stream)new MemoryStream(file.Content)))], new ReadingBudget(TimeProvider.System));

    private static Inspection Inspect(byte[] content, HintCatalog hints) => Inspector.Inspect(new MemoryStream(content), "c.exe", hints);
}
