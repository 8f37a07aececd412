using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Contract.Device;

namespace Bandejo.Cli;

/// <summary>Speaks with the service's public API.</summary>
internal sealed class Client : IDisposable
{
    /// <summary>How often what is only asked is asked again while the service says that it reads its state; a second lies between.</summary>
    private const int MostPatience = 20;

    /// <summary>For so long an answer is waited for where nobody said otherwise.</summary>
    private const int UsualPatience = 60;
    private const int LongestKey = 64;

    private const int MostPatienceSeconds = 3600;

    /// <summary>After so long it is said what is waited for.</summary>
    private static readonly TimeSpan Silence = TimeSpan.FromSeconds(4);

    /// <summary>The rest of an upload may take so long; it goes on where it stopped then.</summary>
    private static readonly TimeSpan MostForAPiece = TimeSpan.FromMinutes(10);

    private readonly HttpClient _http;
    private readonly bool _isPatienceSet;
    private readonly Dictionary<string, int> _asked = new(StringComparer.Ordinal);
    private TimeSpan _patience;

    private Client(string service, string? token, AuthorityInfo? authority, TimeSpan patience, bool isPatienceSet)
    {
        (_patience, _isPatienceSet) = (patience, isPatienceSet);
        _http = new HttpClient(Trust.Handler(new Uri(service), authority)) { BaseAddress = new Uri(service), Timeout = Timeout.InfiniteTimeSpan };
        Authority = authority;
        Address = service;
        if (token is not null)
        {
            _http.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", token);
        }
    }

    public string Address { get; }

    /// <summary>Whom it believes to be the service; null where this machine's own authorities say so, or without TLS.</summary>
    public AuthorityInfo? Authority { get; }

    /// <summary>
    /// Under which key the changes of this command are made, so that they are made once however often it is said again; null for none. Each change has one of
    /// its own made of it.
    /// </summary>
    public string? OnceKey { get; init; }

    /// <summary>The ETag of the last answer.</summary>
    public string? Revision { get; private set; }

    /// <summary>A client for the service somebody signed in to, or the one named by option or environment (BANDEJO_SERVICE, BANDEJO_TOKEN).</summary>
    /// <param name="patience">For how many seconds an answer is waited for; 0 for as the environment says (BANDEJO_TIMEOUT), or as usual.</param>
    /// <param name="once">Under which key changes are made once; null for none.</param>
    public static Client Open(string? service, int patience = 0, string? once = null)
    {
        if (once is not null && (once.Length is 0 or > LongestKey || !once.All(c => char.IsAsciiLetterOrDigit(c) || c is '-' or '_' or '.' or ':')))
        {
            throw new WrongUseException($"A key (--once) is 1 to {LongestKey} letters, digits, '-', '_', '.' or ':', such as nightly-2026-12-01.");
        }

        var kept = Kept.Read();
        var address = service ?? (Environment.GetEnvironmentVariable("BANDEJO_SERVICE") is { Length: > 0 } said ? said : null) ?? kept?.Service
            ?? "http://127.0.0.1:7410";
        if (!Uri.TryCreate(address, UriKind.Absolute, out var uri) || uri.Scheme is not ("http" or "https"))
        {
            throw new WrongUseException($"'{address}' is not an address such as http://127.0.0.1:7410.");
        }

        var seconds = patience != 0 ? patience
            : Environment.GetEnvironmentVariable("BANDEJO_TIMEOUT") is not { Length: > 0 } set ? UsualPatience
            : int.TryParse(set, out var number) ? number
            : -1;
        if (seconds is < 1 or > MostPatienceSeconds)
        {
            throw new WrongUseException($"An answer is waited for from 1 to {MostPatienceSeconds} seconds (--timeout, BANDEJO_TIMEOUT).");
        }

        return new Client(
            address, Environment.GetEnvironmentVariable("BANDEJO_TOKEN") ?? (kept?.Service == address ? kept.Token : null),
            kept?.Service == address ? kept.Authority : null, TimeSpan.FromSeconds(seconds), patience != 0)
        {
            OnceKey = once,
        };
    }

    /// <summary>A client for the same service that believes another authority, and knows no token yet.</summary>
    public async Task<Client> Believing(string authority, CancellationToken cancellation) =>
        new(Address, null, await Trust.Fetch(new Uri(Address), authority, cancellation), _patience, _isPatienceSet);

    /// <summary>What is asked next may take the service long: it is waited for as long as can be asked for, unless somebody said how long.</summary>
    public void TakesLong() => _patience = _isPatienceSet ? _patience : TimeSpan.FromSeconds(MostPatienceSeconds);

    public Task<T> Get<T>(string path, JsonTypeInfo<T> form, CancellationToken cancellation) => Send(HttpMethod.Get, path, null, form, null, cancellation);

    /// <summary>A whole list, page by page.</summary>
    /// <param name="path">The list with what is asked of it; must have a <c>?</c>.</param>
    public async Task<Page<T>> All<T>(string path, JsonTypeInfo<Page<T>> form, CancellationToken cancellation)
    {
        var items = new List<T>();
        while (true)
        {
            var page = await Get($"{path}&limit={ApiLimits.MaxPageSize}&skip={items.Count}", form, cancellation);
            items.AddRange(page.Items);
            if (page.Items.Count == 0 || items.Count >= page.Total)
            {
                return new Page<T>(items, null, items.Count);
            }
        }
    }

    public Task<T> Post<T>(string path, JsonTypeInfo<T> form, CancellationToken cancellation) => Send(HttpMethod.Post, path, null, form, null, cancellation);

    public Task<T> Post<TBody, T>(string path, TBody body, JsonTypeInfo<TBody> bodyForm, JsonTypeInfo<T> form, CancellationToken cancellation) =>
        Send(HttpMethod.Post, path, JsonContent.Create(body, bodyForm), form, null, cancellation);

    /// <summary>Sends a change of something at a revision.</summary>
    public Task<T> Change<TBody, T>(
        HttpMethod method, string path, TBody body, JsonTypeInfo<TBody> bodyForm, JsonTypeInfo<T> form, string? revision, CancellationToken cancellation) =>
        Send(method, path, JsonContent.Create(body, bodyForm), form, revision, cancellation);

    /// <summary>Sends a request whose answer has no body that matters.</summary>
    public async Task Do(HttpMethod method, string path, string? revision, CancellationToken cancellation)
    {
        using var response = await Raw(method, path, null, revision, HttpCompletionOption.ResponseContentRead, cancellation);
    }

    /// <summary>Sends a request with a body whose answer has none that matters.</summary>
    public async Task Send<TBody>(HttpMethod method, string path, TBody body, JsonTypeInfo<TBody> form, CancellationToken cancellation)
    {
        using var response = await Raw(method, path, JsonContent.Create(body, form), null, HttpCompletionOption.ResponseContentRead, cancellation);
    }

    public async Task<string> Text(string path, CancellationToken cancellation)
    {
        using var response = await Raw(HttpMethod.Get, path, null, null, HttpCompletionOption.ResponseContentRead, cancellation);
        return Harmless.Text(await response.Content.ReadAsStringAsync(cancellation));
    }

    /// <summary>Prints the text that an address answers with, as it comes; its length costs no memory.</summary>
    public async Task Print(string path, TextWriter target, CancellationToken cancellation)
    {
        using var response = await Raw(HttpMethod.Get, path, null, null, HttpCompletionOption.ResponseHeadersRead, cancellation);
        using var reader = new StreamReader(await response.Content.ReadAsStreamAsync(cancellation));
        var some = new char[16 * 1024];
        while (await Next() is var read and > 0)
        {
            await target.WriteAsync(Harmless.Text(new string(some, 0, read)));
        }

        async Task<int> Next()
        {
            try
            {
                return await reader.ReadAsync(some, cancellation);
            }
            catch (Exception error) when (error is IOException or HttpRequestException)
            {
                throw new NotReachableException("The service's answer broke off; what was printed is not all of it. Ask again.");
            }
        }
    }

    /// <summary>Writes what an address answers with into a stream, as it comes.</summary>
    public async Task Save(string path, Stream target, CancellationToken cancellation)
    {
        using var response = await Raw(HttpMethod.Get, path, null, null, HttpCompletionOption.ResponseHeadersRead, cancellation);
        await (await response.Content.ReadAsStreamAsync(cancellation)).CopyToAsync(target, cancellation);
    }

    /// <summary>Sends bytes of an upload.</summary>
    public async Task<T> Patch<T>(string path, HttpContent content, long offset, JsonTypeInfo<T> form, CancellationToken cancellation)
    {
        content.Headers.Add("Upload-Offset", offset.ToString(System.Globalization.CultureInfo.InvariantCulture));
        return await Send(HttpMethod.Patch, path, content, form, null, cancellation);
    }

    /// <summary>The data lines of the event stream, each with its number.</summary>
    public async IAsyncEnumerable<string> Events(long? after, [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken cancellation)
    {
        using var response = await Raw(
            HttpMethod.Get, "/api/v1/events" + (after is null ? "" : $"?after={after}"), null, null, HttpCompletionOption.ResponseHeadersRead, cancellation);
        using var reader = new StreamReader(await response.Content.ReadAsStreamAsync(cancellation));
        while (await Line(reader, cancellation) is { } line)
        {
            if (line.StartsWith("data: ", StringComparison.Ordinal))
            {
                yield return line[6..];
            }
        }
    }

    public void Dispose() => _http.Dispose();

    private static async Task<string?> Line(StreamReader reader, CancellationToken cancellation)
    {
        try
        {
            return await reader.ReadLineAsync(cancellation);
        }
        catch (Exception error) when (error is IOException or HttpRequestException)
        {
            return null;
        }
    }

    private async Task<T> Send<T>(HttpMethod method, string path, HttpContent? body, JsonTypeInfo<T> form, string? revision, CancellationToken cancellation)
    {
        using var response = await Raw(method, path, body, revision, HttpCompletionOption.ResponseContentRead, cancellation);
        Revision = response.Headers.ETag?.Tag;
        try
        {
            var answer = await response.Content.ReadFromJsonAsync(Harmless.Form(form), cancellation)
                ?? throw new NotReachableException($"{Address} sent an empty answer.");
            Say.Answered = method == HttpMethod.Get ? Say.Answered : JsonSerializer.SerializeToElement(answer, form);
            return answer;
        }
        catch (JsonException)
        {
            throw new NotReachableException($"What answers at {Address} does not speak like a Bandejo service of this version.");
        }
    }

    private async Task<HttpResponseMessage> Raw(
        HttpMethod method, string path, HttpContent? body, string? revision, HttpCompletionOption completion, CancellationToken cancellation)
    {
        var response = await Once(method, path, body, revision, completion, cancellation);
        for (var asked = 1; method == HttpMethod.Get && response.StatusCode == HttpStatusCode.ServiceUnavailable && asked <= MostPatience; asked++)
        {
            if (asked == 1)
            {
                await Console.Error.WriteLineAsync("The service is reading its state; waiting for it.");
            }

            response.Dispose();
            await Task.Delay(TimeSpan.FromSeconds(1), cancellation);
            response = await Once(method, path, body, revision, completion, cancellation);
        }

        Now.Read(response.Headers.TryGetValues(ApiLimits.DemoClockHeader, out var clock) ? clock.FirstOrDefault() : null);
        AsOf.Read(response.Headers.TryGetValues(ApiLimits.AsOfHeader, out var asOf) ? asOf.FirstOrDefault() : null);
        if (response.IsSuccessStatusCode)
        {
            return response;
        }

        Problem? problem = null;
        try
        {
            problem = await response.Content.ReadFromJsonAsync(Harmless.Form(ContractJson.Default.Problem), cancellation);
        }
        catch (Exception error) when (error is JsonException or InvalidOperationException or NotSupportedException)
        {
            // Not our service's words; the status must do.
        }

        var status = (int)response.StatusCode;
        response.Dispose();
        throw new RefusedException(problem ?? new Problem("", "Refused", status, $"{Address} answered with status {status}."));
    }

    private async Task<HttpResponseMessage> Once(
        HttpMethod method, string path, HttpContent? body, string? revision, HttpCompletionOption completion, CancellationToken cancellation)
    {
        using var request = new HttpRequestMessage(method, path) { Content = body };
        if (revision is not null)
        {
            request.Headers.TryAddWithoutValidation("If-Match", revision);
        }

        if (OnceKey is not null && method != HttpMethod.Get)
        {
            // What a command asks for, and in which order, is the same when it is said again.
            var what = $"{method} {path}";
            _asked[what] = _asked.GetValueOrDefault(what) + 1;
            var digest = Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(what)))[..12];
            request.Headers.TryAddWithoutValidation("Idempotency-Key", $"\"{OnceKey}.{digest}.{_asked[what]}\"");
        }

        using var ends = CancellationTokenSource.CreateLinkedTokenSource(cancellation);
        var most = body is Piece ? MostForAPiece : _patience;
        var (sent, began) = (_http.SendAsync(request, completion, ends.Token), TimeProvider.System.GetTimestamp());
        try
        {
            if (body is Piece)
            {
                ends.CancelAfter(most);
            }
            else if (await Task.WhenAny(sent, Task.Delay(Silence, cancellation)) != sent)
            {
                cancellation.ThrowIfCancellationRequested();
                await Console.Error.WriteLineAsync(
                    $"Waiting for {Address}, which has not answered for {Silence.TotalSeconds:0} s; it is given up after {most.TotalSeconds:0} s.");
                ends.CancelAfter(most - TimeProvider.System.GetElapsedTime(began) is { Ticks: > 0 } left ? left : TimeSpan.FromMilliseconds(1));
            }

            return await sent;
        }
        catch (OperationCanceledException) when (ends.IsCancellationRequested && !cancellation.IsCancellationRequested)
        {
            throw new NotReachableException(
                $"{Address} has not answered for {most.TotalSeconds:0} s; nobody can tell from here whether it did what was asked. "
                    + (OnceKey is null ? "Ask it, or wait longer with --timeout." : "Say the same again: with --once it is done once."));
        }
        catch (Exception error) when (error is HttpRequestException or IOException || (error is TaskCanceledException && !cancellation.IsCancellationRequested))
        {
            throw new NotReachableException(Trust.Words(Address, error));
        }
    }
}

/// <summary>The service refused.</summary>
internal sealed class RefusedException(Problem problem) : Exception(problem.Detail)
{
    public Problem Problem => problem;
}

/// <summary>The service did not answer, or something else did.</summary>
internal sealed class NotReachableException(string message) : Exception(message);

/// <summary>What is kept between calls, in a file that only its owner may read.</summary>
/// <param name="Authority">Whom to believe to be the service; null where nobody was accepted.</param>
internal sealed record Kept(string Service, string Account, string Token, AuthorityInfo? Authority = null)
{
    /// <summary>The folder for everything that is kept: <c>$XDG_CONFIG_HOME/bandejo</c> or <c>~/.config/bandejo</c>.</summary>
    public static string Folder => Path.Combine(
        Environment.GetEnvironmentVariable("XDG_CONFIG_HOME") is { Length: > 0 } set
            ? set
            : Path.Combine(Environment.GetFolderPath(Environment.SpecialFolder.UserProfile), ".config"),
        "bandejo");

    private static string File => Path.Combine(Folder, "sign-in.json");

    public static Kept? Read()
    {
        try
        {
            return System.IO.File.Exists(File) ? JsonSerializer.Deserialize(System.IO.File.ReadAllText(File), KeptJson.Default.Kept) : null;
        }
        catch (JsonException)
        {
            throw new WrongUseException($"{File} cannot be read; sign in again.");
        }
    }

    public void Write() => WriteSecret(File, JsonSerializer.Serialize(this, KeptJson.Default.Kept));

    public static void Forget() => System.IO.File.Delete(File);

    /// <summary>Writes a file that only its owner may read.</summary>
    public static void WriteSecret(string file, string text)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(file)!);
        var options = new FileStreamOptions { Mode = FileMode.Create, Access = FileAccess.Write };
        if (!OperatingSystem.IsWindows())
        {
            options.UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite;
        }

        using var writer = new StreamWriter(file, options);
        writer.Write(text);
    }
}

/// <summary>JSON for what is kept.</summary>
[JsonSerializable(typeof(Kept))]
internal sealed partial class KeptJson : JsonSerializerContext;
