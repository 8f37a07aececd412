namespace Bandejo.Core.Packages;

/// <summary>Where a package stands. A draft is a folder and not known to the service.</summary>
public enum PackageState
{
    Built,
    Tried,
    Released,
    Withdrawn,
}

/// <summary>What may happen to a package.</summary>
public enum PackageEvent
{
    TrialPassed,
    ReleaseAsked,
    WithdrawAsked,
}

/// <summary>Who asks for a release, as far as it matters.</summary>
/// <param name="MayReleaseUntried">May release without a trial.</param>
/// <param name="MustBeAnother">Nobody may release what they built themselves.</param>
/// <param name="IsBuilder">Built the package.</param>
public sealed record Releaser(bool MayReleaseUntried, bool MustBeAnother, bool IsBuilder = false);

/// <summary>Which step follows which in the life of a package.</summary>
public static class PackageLife
{
    /// <summary>
    /// The next state. Releasing a package that was not tried takes a reason and is for administrators; withdrawing takes a reason and is for good.
    /// </summary>
    /// <param name="state">Where it stands.</param>
    /// <param name="asked">What happens.</param>
    /// <param name="releaser">Who asks.</param>
    /// <param name="reason">Why, as the person wrote it.</param>
    public static Outcome<PackageState> Decide(PackageState state, PackageEvent asked, Releaser releaser, string reason) => (state, asked) switch
    {
        (PackageState.Withdrawn, _) => new Failure(ErrorKind.Conflict, "The package was withdrawn; that is for good. Build a revision and release that."),
        (_, PackageEvent.WithdrawAsked) => reason.Length > 0 ? PackageState.Withdrawn : NeedsReason("Withdrawing"),
        (PackageState.Released, _) => new Failure(ErrorKind.Conflict, "The package is released already."),
        (_, PackageEvent.ReleaseAsked) when releaser is { MustBeAnother: true, IsBuilder: true } =>
            new Failure(ErrorKind.Forbidden, "You built this package, and here somebody else releases it. Ask another packager or an administrator."),
        (PackageState.Tried, PackageEvent.ReleaseAsked) => PackageState.Released,
        (_, PackageEvent.TrialPassed) => PackageState.Tried,
        (_, PackageEvent.ReleaseAsked) when !releaser.MayReleaseUntried =>
            new Failure(ErrorKind.Forbidden, "The package was not tried. Only an administrator may release it without a trial, with a reason that stays."),
        (_, PackageEvent.ReleaseAsked) => reason.Length > 0 ? PackageState.Released : NeedsReason("Releasing without a trial"),
        _ => throw new ArgumentOutOfRangeException(nameof(asked)),
    };

    private static Failure NeedsReason(string what) => new(ErrorKind.Invalid, $"{what} needs a reason; it stays with the package.");
}
