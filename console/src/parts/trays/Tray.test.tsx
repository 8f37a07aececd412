import { render } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { Tray } from "./Tray";

const states = [{ name: "met", count: 4_000 }, { name: "working", count: 300 }, { name: "failed", count: 2 }];

describe("a tray", () => {
  it("is one shape for each state, however many devices there are", () => {
    const { container } = render(<Tray states={states} width={200} height={34} isOpen largest={11} />);
    expect(container.querySelectorAll(".square")).toHaveLength(3);
    expect(container.querySelectorAll("*").length).toBeLessThan(20);
    expect(container.querySelector(".cell-failed title")?.textContent).toBe("Failed: 2 devices");
  });

  it("gives cells without room for a sign a form of their own, so that no state is a colour alone", () => {
    const { container } = render(<Tray states={states} width={200} height={34} isOpen largest={11} />);
    const form = (state: string) => container.querySelector(`.cell-${state} .square`)!.getAttribute("d")!.split("M")[1]!.replace(/-?[\d.]+/g, "#");
    expect(new Set(["met", "working", "failed"].map(form)).size).toBe(3);
  });

  it("opens what is behind the state that is clicked", () => {
    const pick = vi.fn();
    const { container } = render(<Tray states={states} width={200} height={112} isOpen onPick={pick} />);
    container.querySelector(".cell-failed")!.dispatchEvent(new MouseEvent("click", { bubbles: true }));
    expect(pick).toHaveBeenCalledWith("failed");
  });
});
