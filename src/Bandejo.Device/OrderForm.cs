using Bandejo.Contract.Device;
using Bandejo.Core.Packages;
using Bandejo.Core.Versions;

namespace Bandejo.Device;

/// <summary>
/// The form of what the service answers: identities that can be names of files, digests that are digests, times within reason. Held to before any of it is used
/// or
/// written down, since the agent acts on it as the system account, and once more where it comes back from the journal.
/// </summary>
public static class OrderForm
{
    /// <summary>The most orders that are kept.</summary>
    public const int MostOrders = 1000;

    /// <summary>The shortest and longest pause between two check-ins, in seconds.</summary>
    public const int ShortestPause = 1;

    public const int LongestPause = 24 * 3600;

    /// <summary>The longest lease, and the longest pause between two tries, in seconds.</summary>
    public const int LongestLease = 30 * 24 * 3600;

    /// <summary>The most tries of one order.</summary>
    public const int MostTries = 100;

    private const int LongestName = 64;
    private const int LongestSeal = 4000;

    /// <summary>The orders that can be carried out, with their times within bounds; each other one is told of, and forgotten.</summary>
    /// <param name="orders">As they came. Each may be anything.</param>
    /// <param name="tell">Hears what was refused, and why.</param>
    /// <param name="refused">Hears for which deployment, where that can be told, so that it is told there too.</param>
    public static IReadOnlyList<Order> Sound(IEnumerable<Order?> orders, Action<string> tell, Action<string, string>? refused = null)
    {
        var sound = new List<Order>();
        var known = new HashSet<string>(StringComparer.Ordinal);
        foreach (var order in orders)
        {
            var problem = order is null
                ? "it is empty"
                : Problem(order) ?? (known.Add(DeviceState.KeyOf(order)) ? null : "it came twice")
                    ?? (sound.Count < MostOrders ? null : $"there are more than {MostOrders}");
            if (problem is null)
            {
                sound.Add(Bounded(order!));
            }
            else
            {
                tell($"An order was refused: {problem}");
                if (order is not null && IsName(order.Deployment))
                {
                    refused?.Invoke(order.Deployment, $"it refuses the order, because {problem}");
                }
            }
        }

        return sound;
    }

    /// <summary>What is wrong with an order; null where nothing is.</summary>
    public static string? Problem(Order order) =>
        !IsName(order.Deployment) ? "its deployment has no valid identity"
        : order.Number < 0 || !IsName(order.Kind) ? "its number or kind is not valid"
        : order.Package is null ? "it names no package"
        : Problem(order.Package) ?? (order.Previous is { } previous ? Problem(previous) : null)
        ?? (string.IsNullOrEmpty(order.Variant) || order.Variant.Length > LongestName || order.Variant.Any(char.IsControl) ? "its variant has no valid name"
        : order.Settings is { } settings
            && (settings.Count > PackageForm.MaxSettings || settings.Any(
                pair => !Settings.IsName(pair.Key) || pair.Value is null || pair.Value.Length > Settings.MaxValue || pair.Value.Any(char.IsControl)))
            ? "its settings are not valid"
        : order.Handling is { } handling
            && ((handling.Restart is { } restart && !Handling.Restarts.ContainsKey(restart)) || handling.Close is { } close && (
                close.Count > KeptHandling.MostNames
                    || close.Any(name => string.IsNullOrWhiteSpace(name) || name.Length > KeptHandling.LongestName || name.Any(char.IsControl))))
            ? "how it is to be handled is not valid"
        : order.Calendars is { } calendars && (calendars.Count > DeviceProtocol.MaxCalendars || calendars.Any(id => !IsName(id)))
            ? "its calendars are not valid"
        : order.ResetsAt is { } reset && !TimeOnly.TryParseExact(reset, "HH:mm", out _) ? "when the device is reset is not valid"
        : OrderWords.Problem(order));

    /// <summary>What is wrong with how a package is named; null where nothing is.</summary>
    public static string? Problem(PackageLink package) =>
        !IsDigest(package.Digest) ? "its package is named by something that is not a digest"
        : package.App is null || PackageForm.AppProblem(package.App) is not null ? "its app has no valid name"
        : !AppVersion.TryParse(package.Version, out _) ? "its version is none"
        : string.IsNullOrEmpty(package.Seal) || package.Seal.Length > LongestSeal ? "its package has no seal" : null;

    /// <summary>Whether a text is a SHA-256 as it names content: 64 lower-case hexadecimal digits.</summary>
    public static bool IsDigest(string? text) => text?.Length == 64 && text.All(char.IsAsciiHexDigitLower);

    /// <summary>Seconds to the next check-in, within bounds.</summary>
    public static int Pause(int seconds) => Math.Clamp(seconds, ShortestPause, LongestPause);

    private static bool IsName(string? text) => text?.Length is > 0 and <= LongestName && text.All(sign => char.IsAsciiLetterOrDigit(sign) || sign == '-');

    private static Order Bounded(Order order) => order with
    {
        LeaseSeconds = Math.Clamp(order.LeaseSeconds, 0, LongestLease), Tries = Math.Clamp(order.Tries, 1, MostTries),
        RetryPauseSeconds = Math.Clamp(order.RetryPauseSeconds, 1, LongestLease), RetryLongestSeconds = Math.Clamp(order.RetryLongestSeconds, 1, LongestLease),
        TakesSeconds = Math.Clamp(order.TakesSeconds, 0, LongestLease),
    };
}
