using Bandejo.Core.Packages;
using Bandejo.Core.Rules;
using Bandejo.Core.Versions;

namespace Bandejo.Core.Deployments;

/// <summary>Whether a package can be there on a device, before any wave is asked.</summary>
/// <param name="Event"><see cref="TargetEvent.NotMeant"/>, <see cref="TargetEvent.Blocked"/>, <see cref="TargetEvent.FitNotKnown"/> or
/// <see cref="TargetEvent.Due"/>.</param>
/// <param name="Variant">The name of the variant that fits.</param>
/// <param name="Reason">Which conditions decided, with what the device has.</param>
public sealed record Fit(TargetEvent Event, string? Variant, Reason Reason);

/// <summary>What a variant asks of a device, and what it can do there.</summary>
/// <param name="CanRemove">It has a step that takes away what it put there.</param>
/// <param name="CanChange">It has a step that changes settings of what is there.</param>
public sealed record VariantRules(string Name, Rule Fits, Rule Requires, bool CanRemove = true, bool CanChange = true)
{
    /// <summary>How long it is expected to take.</summary>
    public TimeSpan Takes { get; init; }

    /// <summary>The longest that it may take, before it is ended or a person is asked.</summary>
    public TimeSpan Longest { get; init; }

    /// <summary>Whether it asks for a restart, as it says itself.</summary>
    public RestartRule Restart { get; init; }

    /// <summary>How long taking it away is expected to take.</summary>
    public TimeSpan TakesAway { get; init; }

    /// <summary>It fits, and nothing is in its way.</summary>
    internal Fit Due { get; } = new(TargetEvent.Due, Name, Reason.None);
}

/// <summary>What the rules of a package's variants say of one device.</summary>
public interface IVariantAnswers
{
    Truth Fits(int variant);

    Truth Requires(int variant);
}

/// <summary>The rules, asked for one device.</summary>
internal sealed class AskedOne(IReadOnlyList<VariantRules> variants, IFactSource facts) : IVariantAnswers
{
    public Truth Fits(int variant) => variants[variant].Fits.Test(facts);

    public Truth Requires(int variant) => variants[variant].Requires.Test(facts);
}

/// <summary>Weighs devices against packages and deployments against each other.</summary>
public static class Targeting
{
    /// <summary>
    /// Looks for the first variant that fits. A variant that is not known to fit is never passed over for a later one: what is not known falls to the
    /// safe side.
    /// </summary>
    public static Fit Weigh(IReadOnlyList<VariantRules> variants, IFactSource facts) =>
        Weigh(variants, new AskedOne(variants, facts), () => facts);

    /// <param name="answers">What the variants' rules say of the device.</param>
    /// <param name="facts">The device's facts, for whoever has to say why not.</param>
    /// <inheritdoc cref="Weigh(IReadOnlyList{VariantRules}, IFactSource)"/>
    public static Fit Weigh(IReadOnlyList<VariantRules> variants, IVariantAnswers answers, Func<IFactSource> facts)
    {
        for (var at = 0; at < variants.Count; at++)
        {
            var variant = variants[at];
            switch (answers.Fits(at))
            {
                case Truth.NotKnown:
                    return new Fit(TargetEvent.FitNotKnown, null, Reason.Of(ReasonCode.FitNotKnown, variant.Fits.Evaluate(facts()).Conditions));
                case Truth.False:
                    continue;
            }

            return answers.Requires(at) switch
            {
                Truth.True => variant.Due,
                Truth.False => new Fit(TargetEvent.Blocked, variant.Name, Reason.Of(ReasonCode.Required, variant.Requires.Evaluate(facts()).Conditions)),
                _ => new Fit(TargetEvent.FitNotKnown, variant.Name, Reason.Of(ReasonCode.RequirementNotKnown, variant.Requires.Evaluate(facts()).Conditions)),
            };
        }

        return new Fit(TargetEvent.NotMeant, null, Reason.Of(ReasonCode.NotMeant, variants.SelectMany(variant => variant.Fits.Evaluate(facts()).Conditions)));
    }

    /// <summary>
    /// Which of several wishes for one app on one device rules: the higher priority, among equals the newer version. <c>have</c> against <c>gone</c> among
    /// equals is contested, and nobody rules.
    /// </summary>
    /// <returns>The ruling deployment's identity, or null with those that contest.</returns>
    public static (string? Rules, IReadOnlyList<string> Contest) Settle(
        IReadOnlyCollection<(string Deployment, Wish Wish, int Priority, AppVersion Version)> wishes)
    {
        // A choice that was taken is a wish to have it.
        var most = wishes.Max(wish => wish.Priority);
        var equals = wishes.Where(wish => wish.Priority == most).ToList();
        if (equals.Select(wish => wish.Wish == Wish.Gone).Distinct().Count() > 1)
        {
            return (null, [.. equals.Select(wish => wish.Deployment).Order(StringComparer.Ordinal)]);
        }

        return (equals.OrderByDescending(wish => wish.Version).ThenBy(wish => wish.Deployment, StringComparer.Ordinal).First().Deployment, []);
    }
}

/// <summary>
/// A device's facts with one app's version held fast as it was, so that a deployment's own success does not take the device out of its reach.
/// </summary>
/// <param name="facts">The device's facts.</param>
/// <param name="app">The app's slug.</param>
/// <param name="version">Its version then; empty for none.</param>
public sealed class FrozenAppFacts(IFactSource facts, string app, string version) : IFactSource
{
    public FactLookup Find(FactRef fact)
    {
        if (!fact.IsApp || fact.Name != app)
        {
            return facts.Find(fact);
        }

        return AppVersion.TryParse(version, out var parsed) ? FactLookup.Of(FactValue.OfVersion(parsed)) : FactLookup.Absent;
    }
}
