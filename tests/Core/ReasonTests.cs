using Bandejo.Core.Deployments;
using Xunit;

namespace Bandejo.Core.Tests;

public sealed class ReasonTests
{
    public static TheoryData<ReasonCode> Codes => [.. Enum.GetValues<ReasonCode>()];

    [Theory]
    [MemberData(nameof(Codes))]
    public void Every_reason_has_words_and_a_name_that_is_read_back(ReasonCode code)
    {
        string[] arguments = code is ReasonCode.ProofOld or ReasonCode.FellSilent or ReasonCode.TurnPassed or ReasonCode.NoRoom ? ["7200"] : ["one", "2", "three", "4"];
        var words = ReasonWords.Of(new Reason(code, arguments));
        Assert.Equal(code == ReasonCode.None, words.Length == 0);
        Assert.DoesNotContain('{', words);
        Assert.Equal(code, ReasonNames.Read(ReasonNames.Of(code)));
    }

    [Fact]
    public void Reasons_are_said_with_what_they_are_about()
    {
        Assert.Equal("Wave 'Rest' opens after the gate behind 'Early' (95 % met)", ReasonWords.Of(new Reason(
            ReasonCode.WaveOpensAfter, "Rest", "Early", "95 % met")));
        Assert.Equal("Began work and was not heard from for 2 h", ReasonWords.Of(new Reason(ReasonCode.FellSilent, "7200")));
        Assert.Equal("One device of Fry Street is changed at once, and it is the turn of others", ReasonWords.Of(
            new Reason(ReasonCode.SiteAtIt, "Fry Street", "1")));
        Assert.Equal("At most 3 devices without a known site are changed at once, and it is the turn of others", ReasonWords.Of(
            new Reason(ReasonCode.SiteAtIt, "", "3")));
        Assert.Equal("It is reset at 03:30, and what is done before is lost", ReasonWords.Of(new Reason(ReasonCode.BeforeReset, "03:30", "nights")));
        Assert.Equal("It takes 20 min, for which 'nights' leaves no room", ReasonWords.Of(new Reason(ReasonCode.NoRoom, "1200", "nights")));
        Assert.Equal("code 9. The one try is used up", ReasonWords.Of(new Reason(ReasonCode.TriesUsedUp, "code 9", "1")));
        Assert.Equal("To be brought back to nothing", ReasonWords.Of(new Reason(ReasonCode.ToBeBroughtBack, "", "")));
        Assert.Equal("Cannot go back: Foldline 7.1.0 was there before, and it was withdrawn", ReasonWords.Of(
            new Reason(ReasonCode.CannotGoBack) { Because = new Reason(ReasonCode.EarlierWithdrawn, "Foldline", "7.1.0") }));
        Assert.Equal("'Old' and more", ReasonWords.Of(Reason.Said("'Old' and more")));
    }

    [Fact]
    public void What_devices_lack_alike_is_one_reason()
    {
        var one = new Reason(ReasonCode.Required, "memory >= 4 GiB", "has 2 GiB", "kind is \"laptop\"", "has desktop");
        var other = new Reason(ReasonCode.Required, "memory >= 4 GiB", "has 1 GiB", "kind is \"laptop\"", "not reported yet");
        Assert.NotEqual(one, other);
        Assert.Equal(one.WithoutWhatItHas(), other.WithoutWhatItHas());
        Assert.Equal("Required: memory >= 4 GiB; kind is \"laptop\"", one.WithoutWhatItHas().ToString());
        Assert.Equal("Required: memory >= 4 GiB (has 2 GiB); kind is \"laptop\" (has desktop)", one.ToString());
    }
}
