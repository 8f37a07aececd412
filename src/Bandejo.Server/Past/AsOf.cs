using System.Globalization;
using Bandejo.Contract;
using Bandejo.Core;
using Bandejo.Server.World;
using Bandejo.Store;

namespace Bandejo.Server.Past;

/// <summary>Finds the past moment that a request asks about.</summary>
internal static class AsOf
{
    /// <summary>How everything was then.</summary>
    /// <param name="asOf">As <see cref="PastMoments.Read"/> takes it.</param>
    public static async Task<Outcome<IPast>> Past(this WorldHost world, string asOf)
    {
        var store = await world.Kept();
        var at = PastMoments.Read(asOf, world.KnownFrom(store), world.Now);
        return !at.Ok ? at.Failure! : store.Past(at.Value) is { } past ? Outcome.Of(past) : new Failure(
            ErrorKind.NotFound, $"Nothing is known of {PastMoments.InWords(at.Value)}.");
    }

    /// <summary>From when on it is known how everything was: where the log begins, or what went since ended.</summary>
    public static DateTimeOffset KnownFrom(this WorldHost world, IStore store)
    {
        var begins = store.PastFrom;
        return world.Read(Core.Site.Retention.HistoryFrom) is { } kept && kept > begins ? kept : begins;
    }

    /// <summary>What is asked of the past moment, where one is asked about. The answer says which it is.</summary>
    public static async Task<Outcome<T>> Past<T>(this WorldHost world, HttpContext context, string asOf, Func<PastAnswers, Outcome<T>> ask)
    {
        var past = await world.Past(asOf);
        if (!past.Ok)
        {
            return past.Failure!;
        }

        var answer = ask(world.Read(each => new PastAnswers(each, past.Value)));
        if (answer.Ok)
        {
            context.Response.Headers[ApiLimits.AsOfHeader] = past.Value.At.UtcDateTime.ToString("O", CultureInfo.InvariantCulture);
        }

        return answer;
    }
}
