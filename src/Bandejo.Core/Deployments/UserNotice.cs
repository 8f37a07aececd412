using Bandejo.Core.Rules;

namespace Bandejo.Core.Deployments;

/// <summary>Where a device stands with telling whoever is signed in before it starts something for its deadline alone.</summary>
public enum NoticeStep
{
    /// <summary>It is too early to tell.</summary>
    Early,

    /// <summary>It is to be told now.</summary>
    Tell,

    /// <summary>It was told, and the promised time is not over.</summary>
    Told,

    /// <summary>It was told, and the promised time is over.</summary>
    Over,
}

/// <summary>What is so at a moment.</summary>
/// <param name="At">When it is told, where that is too early; otherwise when it starts, as it was or is promised.</param>
public readonly record struct NoticeSays(NoticeStep Step, DateTimeOffset At);

/// <summary>
/// The notice that whoever is signed in at a device has before something starts there for its deadline alone. It is told so long before the deadline; a device
/// that was off then tells it when it comes on, and starts so much later.
/// </summary>
/// <param name="Length">So long before: 1 minute to 24 hours.</param>
public sealed record UserNotice(TimeSpan Length)
{
    /// <summary>The notice of a deployment that says nothing of it.</summary>
    public static readonly TimeSpan Usual = TimeSpan.FromMinutes(15);

    private static readonly TimeSpan Longest = TimeSpan.FromHours(24);

    /// <summary>Reads how long it is; the failure says what would be right.</summary>
    public static Outcome<UserNotice> Parse(string text)
    {
        if (Units.TryParseDuration(text.Trim(), out var length) && length >= TimeSpan.FromMinutes(1) && length <= Longest)
        {
            return new UserNotice(length);
        }

        var says = $"The notice is between 1 min and 24 h, such as '15 min', not '{text.Trim()}'.";
        return new Failure(ErrorKind.Invalid, says, [new Finding(says, "notice", 1, 1, Math.Max(1, text.Length))]);
    }

    /// <summary>What is so at a moment.</summary>
    /// <param name="deadline">From when on the deadline lets it start.</param>
    /// <param name="promised">When it starts, as it was told last; null where it was not, or where that was before the device was off.</param>
    public NoticeSays At(DateTimeOffset deadline, DateTimeOffset? promised, DateTimeOffset now)
    {
        // Whom nobody could keep the promise to, since the device slept or had other work, is told anew.
        if (promised is { } start && start >= deadline && now < start + Length)
        {
            return new NoticeSays(now < start ? NoticeStep.Told : NoticeStep.Over, start);
        }

        return now < deadline - Length
            ? new NoticeSays(NoticeStep.Early, deadline - Length)
            : new NoticeSays(NoticeStep.Tell, now + Length > deadline ? now + Length : deadline);
    }
}
