import { Button, type ButtonProps } from "@mantine/core";
import { createLink } from "@tanstack/react-router";
import { type AnchorHTMLAttributes, forwardRef } from "react";

type AnchorProps = ButtonProps & Omit<AnchorHTMLAttributes<HTMLAnchorElement>, keyof ButtonProps>;

const Anchor = forwardRef<HTMLAnchorElement, AnchorProps>((props, ref) => <Button component="a" ref={ref} {...props} />);

/** A link that looks like a button, because it begins something. */
export const ButtonLink = createLink(Anchor);
