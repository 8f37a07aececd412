using Bandejo.Contract;
using Bandejo.Contract.Api;
using Bandejo.Kit;
using Microsoft.Playwright;
using Xunit;

namespace Bandejo.Browser.Tests;

/// <summary>One headless Chromium for all tests.</summary>
public sealed class Chromium : IAsyncLifetime
{
    // What would otherwise reach out of the machine is switched off.
    private static readonly string[] Switches = [
        "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"];

    private IPlaywright? _playwright;

    public IBrowser Browser { get; private set; } = null!;

    public async ValueTask InitializeAsync()
    {
        _playwright = await Playwright.CreateAsync();
        Browser = await _playwright.Chromium.LaunchAsync(
            new() { ExecutablePath = Environment.GetEnvironmentVariable("BANDEJO_CHROMIUM") ?? "/usr/bin/chromium", Args = Switches });
    }

    public async ValueTask DisposeAsync()
    {
        await Browser.DisposeAsync();
        _playwright?.Dispose();
    }
}

/// <summary>All browser tests share one Chromium.</summary>
[CollectionDefinition(Name)]
public sealed class BrowserTests : ICollectionFixture<Chromium>
{
    public const string Name = "browser";
}

/// <summary>A person at the console. What the page complains of is kept, and told by <see cref="Complaints"/>.</summary>
public sealed class Person : IAsyncDisposable
{
    private const string Password = "long-enough-1";

    private readonly IBrowserContext _context;
    private readonly List<string> _complaints = [];

    private Person(IBrowserContext context, IPage page)
    {
        (_context, Page) = (context, page);
        page.Console += (_, message) =>
        {
            // Chromium tells of every refusal; those are shown on the page and looked at there.
            if (message.Type is "error" or "warning" && !message.Text.StartsWith("Failed to load resource", StringComparison.Ordinal))
            {
                _complaints.Add(message.Text);
            }
        };
        page.PageError += (_, error) => _complaints.Add(error);
    }

    public IPage Page { get; }

    /// <summary>Errors and warnings of the page's code so far.</summary>
    public IReadOnlyList<string> Complaints => _complaints;

    /// <summary>Makes an account with one role and signs it in at the console.</summary>
    public static async Task<Person> SignIn(Chromium chromium, Site site, string account, string role, BrowserNewContextOptions? options = null)
    {
        await site.Admin.Post(
            "/api/v1/accounts", new AccountRequest(account, account, Password, [role]), ContractJson.Default.AccountRequest, ContractJson.Default.AccountInfo);
        var person = await Come(chromium, site, options);
        await person.SignIn(account, Password);
        await Sees(person.Page.GetByRole(AriaRole.Heading, new() { Name = "Today", Level = 1 }));
        return person;
    }

    /// <summary>Somebody before the sign-in.</summary>
    public static async Task<Person> Come(Chromium chromium, Site site, BrowserNewContextOptions? options = null)
    {
        options ??= new();
        options.BaseURL = site.Service.Address;
        options.Locale = "en-GB";
        options.ViewportSize ??= new() { Width = 1280, Height = 800 };
        var context = await chromium.Browser.NewContextAsync(options);
        context.SetDefaultTimeout(60_000);
        var person = new Person(context, await context.NewPageAsync());
        await person.Page.GotoAsync("/");
        return person;
    }

    public async Task SignIn(string account, string password)
    {
        await Page.GetByRole(AriaRole.Textbox, new() { Name = "Account" }).FillAsync(account);
        await Page.GetByRole(AriaRole.Textbox, new() { Name = "Password" }).FillAsync(password);
        await Press("Sign in");
    }

    /// <summary>Goes to an address of the console and waits for its title.</summary>
    public async Task Open(string address, string title)
    {
        await Page.GotoAsync(address);
        await Sees(Page.GetByRole(AriaRole.Heading, new() { Name = title, Level = 1 }));
    }

    public Task Press(string button) => Page.GetByRole(AriaRole.Button, new() { Name = button }).First.ClickAsync();

    /// <summary>Waits until a text stands on the page.</summary>
    public Task Reads(string text) => Sees(Page.GetByText(text).First);

    public static Task Sees(ILocator what) => what.WaitForAsync(new() { State = WaitForSelectorState.Visible });

    /// <summary>Waits until what is typed goes to a field.</summary>
    public static Task MayTypeInto(ILocator field) => Assertions.Expect(field).ToBeFocusedAsync(new() { Timeout = 30_000 });

    public static Task SeesNoMore(ILocator what) => what.WaitForAsync(new() { State = WaitForSelectorState.Hidden });

    public async ValueTask DisposeAsync() => await _context.DisposeAsync();
}
