import clsx from "clsx";
import type { ButtonHTMLAttributes } from "react";

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  look?: "strong" | "plain" | "grave" | "bare";
}

const LOOKS = {
  strong: "bg-indigo text-cloth border-indigo hover:opacity-90 dark:text-ground",
  plain: "bg-cloth text-ink border-warp hover:border-indigo hover:text-indigo",
  grave: "bg-madder text-cloth border-madder hover:opacity-90 dark:text-ground",
  bare: "border-transparent text-soft hover:text-ink hover:bg-weave/60",
};

export function Button({ look = "plain", className, ...rest }: Props) {
  return (
    <button
      type="button"
      {...rest}
      className={clsx(
        "inline-flex items-center gap-1.5 rounded-[3px] border px-2.5 py-1 text-[13px] font-medium whitespace-nowrap",
        "disabled:opacity-45",
        LOOKS[look],
        className,
      )}
    />
  );
}
